"""Deliveries for real: one module for each kind of sink."""
