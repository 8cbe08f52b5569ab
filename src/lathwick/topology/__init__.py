"""Bodies: faces, edges and vertices, their names, their validity and their mass properties."""
