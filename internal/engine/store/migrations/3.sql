-- Documents that are gone are known by their keys for a while.
CREATE TABLE departed (
    n   bigint PRIMARY KEY,
    key text NOT NULL
);
ALTER TABLE fired
    ADD COLUMN doc bigint NOT NULL DEFAULT 0,
    ADD COLUMN other bigint NOT NULL DEFAULT 0;
ALTER TABLE fired ALTER COLUMN doc DROP DEFAULT, ALTER COLUMN other DROP DEFAULT;
ALTER TABLE forgotten
    ADD COLUMN answers bigint NOT NULL DEFAULT 0,
    ADD COLUMN events bigint NOT NULL DEFAULT 0;
ALTER TABLE forgotten_documents ADD COLUMN created timestamptz NOT NULL DEFAULT 'epoch';
ALTER TABLE forgotten_documents ALTER COLUMN created DROP DEFAULT;
