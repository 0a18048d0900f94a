"""What the kinds of the catalogue are made of: the person and place of a record, lists, texts, check digits."""
