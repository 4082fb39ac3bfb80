-- Before, every target got a new identity; from now on it is kept where a system goes over. Each open job says so once,
-- as an entry of its history: nothing else of the job changes, and undoing it changes nothing either.
INSERT INTO revision (
    job, number, parent, sentence, made_at, code, name, machine, note, source, target, target_size, target_sector,
    options, bench
)
SELECT
    head.job,
    (SELECT max(number) + 1 FROM revision AS any_of WHERE any_of.job = head.job),
    head.id,
    'Identity as needed from now on: kept where a system goes over, new where none does',
    strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
    head.code, head.name, head.machine, head.note, head.source, head.target, head.target_size, head.target_sector,
    head.options, head.bench
FROM job JOIN revision AS head ON head.id = job.head
WHERE head.source IS NOT NULL AND job.id NOT IN (SELECT job FROM closing);

UPDATE job SET
    head = (SELECT id FROM revision WHERE revision.job = job.id ORDER BY number DESC LIMIT 1),
    version = version + 1
WHERE head IN (SELECT parent FROM revision WHERE sentence LIKE 'Identity as needed from now on:%');
