-- Surveys are kept once each, by their content; a revision names them.
CREATE TABLE survey (
    id     INTEGER PRIMARY KEY,
    digest TEXT NOT NULL UNIQUE CHECK (length(digest) = 64),
    body   TEXT NOT NULL CHECK (json_valid(body))
) STRICT;

-- A job's state is that of its head revision. version counts every write, undo and redo included.
CREATE TABLE job (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    version    INTEGER NOT NULL DEFAULT 1 CHECK (version >= 1),
    head       INTEGER REFERENCES revision (id) DEFERRABLE INITIALLY DEFERRED,
    created_at TEXT NOT NULL,
    changed_at TEXT NOT NULL
) STRICT;

-- Revisions form a tree: undo goes to the parent, redo to the newest child, and nothing is ever lost.
CREATE TABLE revision (
    id            INTEGER PRIMARY KEY,
    job           INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    number        INTEGER NOT NULL CHECK (number >= 1),
    parent        INTEGER REFERENCES revision (id),
    sentence      TEXT NOT NULL,
    made_at       TEXT NOT NULL,
    made_by       TEXT NOT NULL DEFAULT '',
    code          TEXT NOT NULL DEFAULT '',
    name          TEXT NOT NULL DEFAULT '',
    machine       TEXT NOT NULL DEFAULT '',
    note          TEXT NOT NULL DEFAULT '',
    source        INTEGER REFERENCES survey (id),
    target        INTEGER REFERENCES survey (id),
    target_size   TEXT,
    target_sector INTEGER NOT NULL DEFAULT 512 CHECK (target_sector IN (512, 4096)),
    options       TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(options)),
    UNIQUE (job, number),
    CHECK (target IS NULL OR target_size IS NULL)
) STRICT;

CREATE INDEX revision_parent ON revision (parent);
CREATE INDEX revision_source ON revision (source);
CREATE INDEX revision_target ON revision (target);
