"""The running service: asked for its levels, changed under guard, captured."""
