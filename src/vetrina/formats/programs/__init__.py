"""Source code, read for the statements in it that write to a log."""
