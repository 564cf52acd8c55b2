-- The index of a list serves that list alone: see listsOnly in lists.go. What it holds stays.
DO $$
DECLARE x record;
BEGIN
    FOR x IN
        SELECT c.relname AS name, pg_get_indexdef(c.oid) AS definition, t.relname AS on
        FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_class t ON t.oid = i.indrelid
        WHERE c.relnamespace = 'yalvo'::regnamespace AND starts_with(c.relname, 'list_') AND i.indisvalid
    LOOP
        EXECUTE format('DROP INDEX %I', x.name);
        EXECUTE x.definition || CASE x.on WHEN 'kept' THEN ' AND (doc > 0)' ELSE ' AND (n > 0)' END;
    END LOOP;
END $$;

-- Lookups of what has just begun to be written are planned by what there is.
ALTER TABLE documents SET (autovacuum_analyze_scale_factor = 0.02, autovacuum_analyze_threshold = 500);
ALTER TABLE pairs SET (autovacuum_analyze_scale_factor = 0.02, autovacuum_analyze_threshold = 1000);
