"""A source and its finished target compared by places drawn at random."""
