"""Changes: what would let a message through, what a change does, how two plans differ."""
