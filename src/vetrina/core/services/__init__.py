"""Running services: the file that says how to talk to one, and what its answers mean."""
