-- Pictures, which lie in files: what is known of each, and which documents refer to it.
CREATE TABLE pictures (
    id       text        PRIMARY KEY,   -- SHA-256 of what was uploaded
    width    integer     NOT NULL,
    height   integer     NOT NULL,
    types    text        NOT NULL,   -- of its versions, the largest first: jpeg, png
    account  text        NOT NULL,   -- who has uploaded it and not used it yet; empty: an operator, or nobody
    uploaded timestamptz NOT NULL DEFAULT now(),
    used     boolean     NOT NULL DEFAULT false   -- a document has referred to it
);
CREATE INDEX pictures_unused ON pictures (uploaded) WHERE NOT used;
CREATE TABLE picture_refs (
    picture text   NOT NULL REFERENCES pictures,
    doc     bigint NOT NULL,   -- documents.n
    PRIMARY KEY (picture, doc)
);
CREATE INDEX picture_refs_of ON picture_refs (doc);
-- Those that a document refers to no more, to be looked at. Rows are appended: who removes
-- documents waits for nobody.
CREATE TABLE loose_pictures (picture text NOT NULL);

-- Whoever writes documents, facts say which pictures they refer to.
CREATE FUNCTION pictures_in(fields jsonb) RETURNS SETOF text LANGUAGE sql IMMUTABLE STRICT AS $$
    SELECT DISTINCT substr(v #>> '{}', 10)
    FROM jsonb_path_query(fields, 'strict $.** ? (@.type() == "string" && @ starts with "pictures/")') AS v
$$;
CREATE FUNCTION note_pictures() RETURNS trigger LANGUAGE plpgsql SET search_path = yalvo AS $$
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
        PERFORM FROM pictures WHERE NOT used AND id IN (SELECT pictures_in(NEW.fields)) ORDER BY id FOR NO KEY UPDATE;
        UPDATE pictures SET used = true, account = '' WHERE NOT used AND id IN (SELECT pictures_in(NEW.fields));
    END IF;
    RETURN NULL;
END $$;
CREATE TRIGGER pictures_created AFTER INSERT ON documents
    FOR EACH ROW WHEN (NEW.fields::text LIKE '%"pictures/%') EXECUTE FUNCTION note_pictures();
CREATE TRIGGER pictures_changed AFTER UPDATE OF fields ON documents
    FOR EACH ROW WHEN (OLD.fields <> NEW.fields AND
        (OLD.fields::text LIKE '%"pictures/%' OR NEW.fields::text LIKE '%"pictures/%'))
    EXECUTE FUNCTION note_pictures();
CREATE TRIGGER pictures_removed AFTER DELETE ON documents
    FOR EACH ROW WHEN (OLD.fields::text LIKE '%"pictures/%') EXECUTE FUNCTION note_pictures();
