"""The demo: the workshop of the Harrow Lane Library."""
