"""Collections of records that can be read and changed: generated rows, and what has been written on top of them."""
