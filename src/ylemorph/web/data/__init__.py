"""The data as a whole and the workshop's defaults over HTTP."""
