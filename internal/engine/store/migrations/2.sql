-- Long steps are split among workers; frozen copies are kept with what they were given.
ALTER TABLE due ADD COLUMN until bigint NOT NULL DEFAULT 9223372036854775807;
ALTER TABLE parked ADD COLUMN until bigint NOT NULL DEFAULT 9223372036854775807;
ALTER TABLE parked ALTER COLUMN until DROP DEFAULT;
ALTER TABLE origins RENAME TO origins_before;
ALTER TABLE origins_before DROP CONSTRAINT origins_pkey;
CREATE TABLE origins (
    source bigint   NOT NULL,
    copy   smallint NOT NULL,
    target bigint   NOT NULL,
    value  jsonb    NOT NULL,
    PRIMARY KEY (source, copy)
);
CREATE INDEX origins_of ON origins (copy, target);
INSERT INTO origins (source, copy, target, value)
SELECT DISTINCT ON (o.source, o.copy) o.source, o.copy, o.target, k.values -> split_part(n.name, '.', 2)
FROM origins_before o
JOIN numbers n ON n.n = o.copy
JOIN kept k ON k.doc = o.source AND k.values -> split_part(n.name, '.', 2) IS NOT NULL;
DROP TABLE origins_before;
