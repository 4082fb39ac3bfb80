"""Signing in and the people of the workshop over HTTP."""
