"""What other utilities and people write of disks, read: one registry in `reading.py`."""
