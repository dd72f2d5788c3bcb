"""The commands: each reads, asks the core, and shows."""
