"""What we define, written and read: surveys, options, changes, plans, steps, checks, shelves, fleets."""
