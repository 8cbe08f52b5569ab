"""STEP: ISO 10303-21 files of exact solids (AP242 and AP214)."""
