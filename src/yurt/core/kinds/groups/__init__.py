"""The kinds of the catalogue: a TOML file for those that are a line of the language, a module for the others."""
