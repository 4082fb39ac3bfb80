"""Ylemorph: work out, before the clone starts, how every partition will fit the target disk."""

__version__ = "0.1.0"
