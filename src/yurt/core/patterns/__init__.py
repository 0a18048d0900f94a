"""Regular expressions as sets of texts: parse them, count them, draw from them.

`parse` reads an expression into a tree. `automaton` knows how many different texts it has and numbers them. `sample`
draws whole columns of texts, and `unrank` makes the text of each number.
"""
