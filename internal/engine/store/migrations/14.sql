-- Of lists that are judged for whoever reads them more is stored than they show: they are derived anew, once. What is
-- no such list is passed over.
INSERT INTO builds (version, nth, does, aspect, name, shows)
SELECT d.version,
       coalesce((SELECT max(nth) FROM builds b WHERE b.version = d.version), 0) + row_number() OVER (ORDER BY n.name),
       'build', 'choice', n.name, 'partly'
FROM (SELECT max(version) AS version FROM designs) d, numbers n
WHERE n.kind = 'kept' AND d.version IS NOT NULL;
