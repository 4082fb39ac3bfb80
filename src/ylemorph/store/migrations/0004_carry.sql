-- What is known of the bench and the chosen way, as JSON, beside the options of each revision.
ALTER TABLE revision ADD COLUMN bench TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(bench));

-- Lines of the check lists that were ticked off. They belong to the job, not to a revision: undo leaves them alone.
CREATE TABLE tick (
    job  INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    item TEXT NOT NULL CHECK (length(item) BETWEEN 1 AND 60),
    at   TEXT NOT NULL,
    PRIMARY KEY (job, item)
) STRICT;

-- The running record: a job carried out, with the steps as they stood when it began, and the kind of disks and links.
CREATE TABLE run (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    job      INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    way      TEXT NOT NULL,
    kind     TEXT NOT NULL DEFAULT '',
    steps    TEXT NOT NULL CHECK (json_valid(steps)),
    begun_at TEXT NOT NULL,
    ended_at TEXT
) STRICT;
CREATE INDEX run_job ON run (job);

-- What happened in it, in order; nothing is ever taken out.
CREATE TABLE run_event (
    id     INTEGER PRIMARY KEY AUTOINCREMENT,
    run    INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
    step   INTEGER NOT NULL CHECK (step >= 1),
    what   TEXT NOT NULL CHECK (what IN ('done', 'failed', 'again')),
    reason TEXT,
    note   TEXT NOT NULL DEFAULT '',
    at     TEXT NOT NULL
) STRICT;
CREATE INDEX run_event_run ON run_event (run);
