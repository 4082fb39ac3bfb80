"""The finished disk against the plan (rule 12)."""
