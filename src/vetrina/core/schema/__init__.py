"""What a document is made of, and the kinds of thing that a plan may hold."""
