"""Rounds and bevels along edges: the edge is replaced by a new face, its neighbours are cut back."""
