"""One maker for each head of the language, in a module of the same name as the head's rule in `yurt.core.heads`."""
