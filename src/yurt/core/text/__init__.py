"""Values as text: the forms of the standards, JSON, and the forms that a schema requests."""
