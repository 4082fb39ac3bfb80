"""The shelf over HTTP, and a job's source against it."""
