-- Surveys of one disk are found by its serial, for how its used space grows.
ALTER TABLE survey ADD COLUMN serial TEXT NOT NULL DEFAULT '';
UPDATE survey SET serial = coalesce(json_extract(body, '$.disk.serial'), '') WHERE json_valid(body);
CREATE INDEX survey_serial ON survey (serial);

-- The shelf: disks that one has or could buy, each as the texts of its columns.
CREATE TABLE shelf_disk (
    place INTEGER PRIMARY KEY,
    body  TEXT NOT NULL CHECK (json_valid(body))
) STRICT;
CREATE TABLE shelf_version (
    one     INTEGER PRIMARY KEY CHECK (one = 1),
    version INTEGER NOT NULL
) STRICT;
INSERT INTO shelf_version VALUES (1, 0);

-- Many machines against several disks. A generation is one set of wishes; lines of an earlier one are worth nothing.
CREATE TABLE fleet (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    name       TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
    created_at TEXT NOT NULL,
    changed_at TEXT NOT NULL,
    wishes     TEXT NOT NULL CHECK (json_valid(wishes)),
    generation INTEGER NOT NULL DEFAULT 1,
    stopped    INTEGER NOT NULL DEFAULT 0 CHECK (stopped IN (0, 1))
) STRICT;

-- One machine as its file gave it, or a file that could not be read with the reason.
CREATE TABLE fleet_machine (
    id           INTEGER PRIMARY KEY AUTOINCREMENT,
    fleet        INTEGER NOT NULL REFERENCES fleet (id) ON DELETE CASCADE,
    name         TEXT NOT NULL,
    origin       TEXT NOT NULL,
    survey       INTEGER REFERENCES survey (id),
    problem      TEXT NOT NULL DEFAULT '',
    serial       TEXT NOT NULL DEFAULT '',
    table_id     TEXT NOT NULL DEFAULT '',
    taken        TEXT NOT NULL DEFAULT '',
    source_bytes INTEGER NOT NULL DEFAULT 0,
    same_of      INTEGER REFERENCES fleet_machine (id) ON DELETE SET NULL,
    earlier      INTEGER NOT NULL DEFAULT 0 CHECK (earlier IN (0, 1)),
    generation   INTEGER NOT NULL DEFAULT 0,
    used_bytes   INTEGER,
    must_bytes   INTEGER,
    comfort_bytes INTEGER,
    need_bytes   INTEGER,
    CHECK ((survey IS NULL) = (problem <> ''))
) STRICT;
CREATE INDEX fleet_machine_fleet ON fleet_machine (fleet, generation);
CREATE INDEX fleet_machine_survey ON fleet_machine (survey);

-- A machine on one of the targets under one fit; under 'best', the line of the fit that serves it best.
CREATE TABLE fleet_line (
    machine           INTEGER NOT NULL REFERENCES fleet_machine (id) ON DELETE CASCADE,
    target            INTEGER NOT NULL,
    fit               TEXT NOT NULL,
    own_fit           TEXT NOT NULL,
    verdict           TEXT,
    kept_percent      INTEGER NOT NULL,
    shortfall_bytes   INTEGER NOT NULL,
    system_free_bytes INTEGER,
    gained_bytes      INTEGER,
    reason            TEXT NOT NULL,
    remedy            TEXT NOT NULL,
    PRIMARY KEY (machine, target, fit)
) STRICT, WITHOUT ROWID;
