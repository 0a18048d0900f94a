"""The schema language: YAML nodes, phrases and expressions, read into the model, with diagnostics."""
