"""Flat drawings at true size, for laser and water-jet cutting: SVG and DXF."""
