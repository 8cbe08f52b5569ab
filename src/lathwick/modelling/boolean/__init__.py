"""Union, cut and intersection on exact faces."""
