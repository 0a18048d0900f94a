"""Standard numbers with check digits, each with its rule and source."""
