"""The disks that are really attached to this machine, as its own utilities list them. Read only, always."""
