"""A job as one value, and the closed set of changes to it."""
