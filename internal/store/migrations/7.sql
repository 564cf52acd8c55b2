-- Lists are read in the order of kept values: an index on these needs to know of which
-- collection a document is.
ALTER TABLE kept ADD COLUMN collection smallint NOT NULL DEFAULT 0;
UPDATE kept k SET collection = d.collection FROM documents d WHERE d.n = k.doc;
