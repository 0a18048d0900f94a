"""First schemas from what is already there: samples of records, and structures that say what is allowed."""
