"""The page on which a colleague sets the parameters of a design, looks at the part and takes its files."""
