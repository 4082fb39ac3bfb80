"""Disks read over HTTP: listings, typed rows, the bench, paths of this machine, customers' machines."""
