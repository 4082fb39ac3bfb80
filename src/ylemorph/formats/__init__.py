"""Text and bytes to core objects and back."""
