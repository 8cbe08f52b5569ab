"""File formats: values to bytes and bytes to values. No file names here; `family.files` has those."""
