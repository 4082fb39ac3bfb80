"""The stage Check back over HTTP."""
