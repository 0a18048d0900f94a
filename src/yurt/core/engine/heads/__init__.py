"""One maker for each head of the language, in a module with the name of the head's rule in `yurt.core.heads`."""
