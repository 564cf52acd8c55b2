-- From where accounts have signed in lately.
CREATE TABLE familiar (
    account bigint      NOT NULL,
    place   bigint      NOT NULL,
    latest  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account, place)
);

-- Of what frozen copies were given by documents that come later in a load.
CREATE TABLE given_later (
    source bigint   NOT NULL,
    copy   smallint NOT NULL,
    "of"   smallint NOT NULL,
    key    text     NOT NULL,
    PRIMARY KEY (source, copy)
);

-- What triggers did not see of what was written.
CREATE FUNCTION note_truncated() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO yalvo.rewritten (xid, doc) VALUES (pg_current_xact_id()::text::bigint, 0);
    RETURN NULL;
END $$;
CREATE TRIGGER rewritten_truncated AFTER TRUNCATE ON documents
    FOR EACH STATEMENT EXECUTE FUNCTION note_truncated();
CREATE TRIGGER rewritten_truncated AFTER TRUNCATE ON kept
    FOR EACH STATEMENT EXECUTE FUNCTION note_truncated();
CREATE TRIGGER rewritten_truncated AFTER TRUNCATE ON rewritten
    FOR EACH STATEMENT EXECUTE FUNCTION note_truncated();
ALTER TABLE kept ENABLE ALWAYS TRIGGER kept_collection;
ALTER TABLE kept ENABLE ALWAYS TRIGGER rewritten_changed;
ALTER TABLE kept ENABLE ALWAYS TRIGGER rewritten_removed;
ALTER TABLE kept ENABLE ALWAYS TRIGGER rewritten_truncated;
ALTER TABLE documents ENABLE ALWAYS TRIGGER rewritten_changed;
ALTER TABLE documents ENABLE ALWAYS TRIGGER rewritten_removed;
ALTER TABLE documents ENABLE ALWAYS TRIGGER rewritten_truncated;
ALTER TABLE rewritten ENABLE ALWAYS TRIGGER rewritten_truncated;
