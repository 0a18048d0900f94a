"""Text files as a person wrote them: YAML nodes with their places, and messages that point to them."""
