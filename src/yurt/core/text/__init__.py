"""Values as text: the forms of the standards, JSON, and how a schema asks for them to be displayed."""
