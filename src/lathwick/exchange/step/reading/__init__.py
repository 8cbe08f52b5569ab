"""STEP files read: the clear text, geometry, topology, products."""
