"""Fleets over HTTP."""
