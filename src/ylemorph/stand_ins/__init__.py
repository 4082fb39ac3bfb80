"""The simulated bench: stand-ins for attached disks, their links, speeds and health."""
