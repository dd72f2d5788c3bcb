"""The work that commands and the Python API share: files of plans, events and logs, put through the core."""
