-- Documents that are gone are remembered with what they would have gone with.
ALTER TABLE departed
    ADD COLUMN collection smallint NOT NULL DEFAULT 0,
    ADD COLUMN created timestamptz NOT NULL DEFAULT 'epoch',
    ADD COLUMN at timestamptz NOT NULL DEFAULT clock_timestamp(),
    ADD COLUMN of bigint[] NOT NULL DEFAULT '{}';
CREATE INDEX departed_of ON departed USING gin (of);
CREATE INDEX departed_named ON departed (collection, key);
CREATE INDEX departed_when ON departed (at);
