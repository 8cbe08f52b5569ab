"""The command line: it only translates options into one call of the library, and prints."""
