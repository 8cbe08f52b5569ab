"""Triangle meshes of exact bodies, watertight by construction."""
