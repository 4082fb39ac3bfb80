"""Reads an image file or a block device: table, file systems, usage map. Read only, always; nothing is mounted."""
