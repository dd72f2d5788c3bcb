"""Deliveries for real: the sandbox, an outlet for each kind of sink, the client and the stand-in that receives."""
