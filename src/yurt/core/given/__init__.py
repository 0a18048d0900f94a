"""Records of which some values are given, and everything else follows from the schema."""
