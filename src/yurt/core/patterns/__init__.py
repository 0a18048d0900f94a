"""Regular expressions as sets of texts: parse, count, and draw them.

`parse` reads an expression into a tree. `automaton` counts and numbers the different texts. `sample` draws whole
columns of texts, and `unrank` makes the text of each number.
"""
