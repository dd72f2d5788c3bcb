"""Documents in somebody else's format, read as a plan through a mapping."""
