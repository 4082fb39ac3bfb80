"""Carrying a plan out: facts of the bench, ways, steps with their times, and the rehearsal that proves their order."""
