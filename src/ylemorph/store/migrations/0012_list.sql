-- The list of jobs is read page by page and searched by what names a job or its disks.
CREATE INDEX job_changed ON job (changed_at, id);
ALTER TABLE survey ADD COLUMN words TEXT NOT NULL DEFAULT '';
UPDATE survey SET words = trim(coalesce(json_extract(body, '$.disk.model'), '') || ' ' || serial) WHERE json_valid(body);
