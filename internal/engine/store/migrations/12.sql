-- Edits of values that not everybody may read, see Quiet in quiet_edits.go.
ALTER TABLE documents ADD COLUMN quiet jsonb;

-- Who has uploaded a picture lately, each for themselves.
CREATE TABLE picture_uploads (
    account  text        NOT NULL,
    picture  text        NOT NULL REFERENCES pictures ON DELETE CASCADE,
    bytes    bigint      NOT NULL,
    uploaded timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account, picture)
);
CREATE INDEX picture_uploads_of ON picture_uploads (picture);
CREATE INDEX picture_uploads_old ON picture_uploads (uploaded);
INSERT INTO picture_uploads (account, picture, bytes, uploaded)
    SELECT account, id, 0, uploaded FROM pictures WHERE NOT used;
CREATE OR REPLACE FUNCTION note_pictures() RETURNS trigger LANGUAGE plpgsql SET search_path = yalvo AS $$
BEGIN
    IF TG_OP <> 'INSERT' THEN
        WITH gone AS (
            DELETE FROM picture_refs WHERE doc = OLD.n AND (TG_OP = 'DELETE' OR
                picture NOT IN (SELECT pictures_in(NEW.fields)))
            RETURNING picture)
        INSERT INTO loose_pictures SELECT picture FROM gone;
    END IF;
    IF TG_OP <> 'DELETE' THEN
        INSERT INTO picture_refs (picture, doc)
        SELECT p.id, NEW.n FROM pictures_in(NEW.fields) AS named JOIN pictures p ON p.id = named
        ON CONFLICT DO NOTHING;
    END IF;
    RETURN NULL;
END $$;
ALTER TABLE pictures DROP COLUMN account, DROP COLUMN used, DROP COLUMN uploaded;
