"""Foresight: what a recording holds nothing of, estimated from another one."""
