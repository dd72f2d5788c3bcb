"""The documents that commands print with `--json`: a typed record of each, and how it is made of a result."""
