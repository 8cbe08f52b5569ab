"""Pictures of sketches and parts. Needs the `pictures` extra; works without a screen or graphics card."""
