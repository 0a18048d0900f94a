"""Existing files whose rows are written again, with new columns or with others in place of their own."""
