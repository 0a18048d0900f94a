"""From the text of a phrase to its tree, and from trees to expressions; `phrase.lark` is the grammar."""
