"""Sketches: entities, constraints, the solver, its diagnosis, and the regions that curves enclose."""
