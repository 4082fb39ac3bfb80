-- The workshop's defaults: one row a setting, the value as JSON.
CREATE TABLE setting (
    key   TEXT PRIMARY KEY,
    value TEXT NOT NULL CHECK (json_valid(value))
) STRICT;
