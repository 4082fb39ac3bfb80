"""SQLite by plain SQL: jobs, their surveys and their revisions."""
