-- Lists are read in the order of kept values: an index on these needs to know of which
-- collection a document is.
ALTER TABLE kept ADD COLUMN collection smallint NOT NULL DEFAULT 0;
UPDATE kept k SET collection = d.collection FROM documents d WHERE d.n = k.doc;
-- Who writes kept values by hand need not know of the collection.
CREATE FUNCTION kept_collection() RETURNS trigger LANGUAGE plpgsql SET search_path = yalvo AS $$
BEGIN
    NEW.collection := coalesce((SELECT collection FROM documents WHERE n = NEW.doc), 0);
    RETURN NEW;
END $$;
CREATE TRIGGER kept_collection BEFORE INSERT ON kept
    FOR EACH ROW WHEN (NEW.collection = 0) EXECUTE FUNCTION kept_collection();
