-- What the script tells of its run, line by line: the lines that matter, and how far the step is that is under way.
-- While it tells, it is known by the digest of its code; a log that was dropped has none.
CREATE TABLE script_log (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    job      INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    run      INTEGER REFERENCES run (id) ON DELETE SET NULL,
    digest   TEXT UNIQUE CHECK (digest IS NULL OR length(digest) = 64),
    made_by  TEXT NOT NULL,
    lines    INTEGER NOT NULL DEFAULT 0 CHECK (lines >= 0),
    text     TEXT NOT NULL DEFAULT '',
    progress TEXT NOT NULL DEFAULT '',
    told_at  TEXT NOT NULL
) STRICT;
CREATE INDEX script_log_job ON script_log (job);

-- A code is for disks of a customer's machine, or for the log of a script.
ALTER TABLE collect_code ADD COLUMN purpose TEXT NOT NULL DEFAULT 'disks' CHECK (purpose IN ('disks', 'log'));
