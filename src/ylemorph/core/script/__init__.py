"""What our script does of a plan: how each step is done by an ordinary Linux's utilities, and what that takes."""
