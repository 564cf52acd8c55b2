-- Documents that were written anew or removed, and those whose kept values were, for whoever
-- remembers what they show: whichever statement it was that wrote, a hand's too. Doc 0: more of
-- them than are named. Neither table is logged: a crash empties them, and may have undone upkeep
-- that was seen, so nothing that was remembered before counts after it.
CREATE UNLOGGED TABLE rewritten (
    xid bigint NOT NULL,
    doc bigint NOT NULL
) WITH (autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 5000);
CREATE INDEX rewritten_by ON rewritten (xid, doc);
CREATE UNLOGGED TABLE rewritten_since (
    one   boolean PRIMARY KEY DEFAULT true CHECK (one),
    epoch bigint      NOT NULL,   -- another one after a crash
    xid   bigint      NOT NULL,   -- what transactions before it have noted was dropped
    next  bigint      NOT NULL,   -- what those before it have can be, the next time
    at    timestamptz NOT NULL DEFAULT now()
);
CREATE FUNCTION note_rewritten() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    this bigint := pg_current_xact_id()::text::bigint;
    many bigint;
BEGIN
    IF TG_RELID = 'yalvo.documents'::regclass THEN
        INSERT INTO yalvo.rewritten (xid, doc) SELECT this, n FROM changed LIMIT 1001;
    ELSE
        INSERT INTO yalvo.rewritten (xid, doc) SELECT this, doc FROM changed LIMIT 1001;
    END IF;
    GET DIAGNOSTICS many = ROW_COUNT;
    IF many > 1000 THEN
        INSERT INTO yalvo.rewritten (xid, doc) VALUES (this, 0);
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER rewritten_changed AFTER UPDATE ON documents
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_rewritten();
CREATE TRIGGER rewritten_removed AFTER DELETE ON documents
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_rewritten();
CREATE TRIGGER rewritten_changed AFTER UPDATE ON kept
    REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_rewritten();
CREATE TRIGGER rewritten_removed AFTER DELETE ON kept
    REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION note_rewritten();
-- Who writes kept values by hand need not know of the collection. Otherwise they come with
-- their documents, which nobody remembers yet.
CREATE OR REPLACE FUNCTION kept_collection() RETURNS trigger LANGUAGE plpgsql SET search_path = yalvo AS $$
BEGIN
    NEW.collection := coalesce((SELECT collection FROM documents WHERE n = NEW.doc), 0);
    INSERT INTO rewritten (xid, doc) VALUES (pg_current_xact_id()::text::bigint, NEW.doc);
    RETURN NEW;
END $$;

-- A single pair is looked for by its key alone.
DROP INDEX pairs_from, pairs_to;
CREATE INDEX pairs_from ON pairs (kind, a, at DESC, b DESC) WHERE at > '-infinity';
CREATE INDEX pairs_to   ON pairs (kind, b, at DESC, a DESC) WHERE at > '-infinity';
