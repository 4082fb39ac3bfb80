"""How the rows of a source fit a target (rules 2 to 9)."""
