"""The stand-in service: the records of a schema over HTTP."""
