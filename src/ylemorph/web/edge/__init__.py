"""Before and after every request: guard, identity, rights, limits, log, problems, encryption, live events."""
