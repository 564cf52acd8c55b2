-- Plainer names; due work is claimed author by author; answers are kept per account.
ALTER TABLE audience RENAME TO delivery_modes;
ALTER INDEX audience_pkey RENAME TO delivery_modes_pkey;
ALTER TABLE floors RENAME TO cuts;
ALTER INDEX floors_pkey RENAME TO cuts_pkey;
ALTER TABLE cuts RENAME COLUMN spare TO surplus;
DROP VIEW owed;
ALTER TABLE journal ALTER COLUMN xid DROP DEFAULT;
ALTER TABLE journal ALTER COLUMN xid TYPE bigint USING xid::text::bigint;
ALTER TABLE journal ALTER COLUMN xid SET DEFAULT pg_current_xact_id()::text::bigint;
CREATE INDEX journal_xid ON journal USING brin (xid) WITH (pages_per_range = 16, autosummarize = on);
DROP INDEX due_change;
UPDATE due SET change = 0 WHERE change IS NULL;
ALTER TABLE due DROP CONSTRAINT due_pkey;
ALTER TABLE due ALTER COLUMN change SET DEFAULT 0, ALTER COLUMN change SET NOT NULL;
ALTER TABLE due ADD PRIMARY KEY (lane, change, seq);
ALTER TABLE due SET (autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 2000,
    autovacuum_vacuum_cost_delay = 0);
CREATE INDEX due_by_author ON due (step, subject, key, seq) WHERE lane = 3;
CREATE INDEX due_long ON due (seq) WHERE lane = 3 AND cursor > 0 AND step IN (3, 4);
UPDATE parked SET change = 0 WHERE change IS NULL;
ALTER TABLE parked ALTER COLUMN change SET NOT NULL;
ALTER TABLE fired RENAME TO events;
ALTER INDEX fired_pkey RENAME TO events_pkey;
ALTER TABLE events RENAME COLUMN reaction TO trigger;
ALTER INDEX fired_by RENAME TO events_by;
ALTER INDEX fired_when RENAME TO events_when;
UPDATE numbers SET kind = 'trigger' WHERE kind = 'reaction';
CREATE VIEW outstanding AS
    SELECT lane, step, subject, key, doc, amount, change FROM due
    UNION ALL
    SELECT lane, step, subject, key, doc, amount, change FROM parked;
ALTER TABLE audits ADD COLUMN round integer NOT NULL DEFAULT 1;
ALTER TABLE drift ADD COLUMN round integer NOT NULL DEFAULT 1;
ALTER TABLE drift ALTER COLUMN round DROP DEFAULT;
CREATE INDEX drift_in ON drift (audit, aspect, name, doc);
ALTER TABLE answered ADD COLUMN account text NOT NULL DEFAULT '';
ALTER TABLE answered ALTER COLUMN account DROP DEFAULT;
ALTER TABLE answered DROP CONSTRAINT answered_pkey;
ALTER TABLE answered ADD PRIMARY KEY (account, key);
