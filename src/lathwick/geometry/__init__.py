"""Curves, surfaces and placements: exact geometry and nothing else."""
