-- Edits of values that not everybody may read, see Quiet in quiet.go.
ALTER TABLE documents ADD COLUMN quiet jsonb;
