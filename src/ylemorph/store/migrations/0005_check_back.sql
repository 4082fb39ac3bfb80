-- Surveys of the finished disk, each kept with its time; what is otherwise than planned is worked out when it is read.
CREATE TABLE finished (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    job     INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    survey  INTEGER NOT NULL REFERENCES survey (id),
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX finished_job ON finished (job);
CREATE INDEX finished_survey ON finished (survey);

-- A closed job is read only until it is opened again.
CREATE TABLE closing (
    job        INTEGER PRIMARY KEY REFERENCES job (id) ON DELETE CASCADE,
    closed_at  TEXT NOT NULL,
    result     TEXT NOT NULL CHECK (result IN ('done', 'given-up')),
    note       TEXT NOT NULL DEFAULT '',
    minutes    INTEGER CHECK (minutes IS NULL OR minutes BETWEEN 0 AND 100000),
    keep_until TEXT CHECK (keep_until IS NULL OR length(keep_until) = 10)
) STRICT;
