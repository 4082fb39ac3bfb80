"""The stage Carry out over HTTP."""
