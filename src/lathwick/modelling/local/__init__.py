"""Local operations: faces get other surfaces, and the edges between them follow."""
