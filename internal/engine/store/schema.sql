-- The tables of one app. Facts: documents, refs, uniques, pairs. Duplicates
-- derived from them: kept, contributions, posted, entries, cuts.
-- Bookkeeping: the rest.
-- Documents are known inside by a small row number, n; clients see keys.

CREATE TABLE settings (
    name  text PRIMARY KEY,
    value text NOT NULL
);

-- The number of each name of the design: stable over its versions.
CREATE TABLE numbers (
    n    smallint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    kind text NOT NULL,
    name text NOT NULL,
    shape smallint,            -- of a collection or pair: the form in which its facts are written; null: the first
    UNIQUE (kind, name)
);

CREATE TABLE designs (
    version integer PRIMARY KEY,
    applied timestamptz NOT NULL DEFAULT now(),
    file    text NOT NULL,
    source  text NOT NULL,
    author  text NOT NULL DEFAULT '',  -- who put it in force
    did     jsonb                      -- what it did to what was stored; null: it was the first
);

-- What a version of the design asks to be done to what is stored, step by step,
-- while the app runs.
CREATE TABLE builds (
    version integer  NOT NULL,
    nth     integer  NOT NULL,
    does    text     NOT NULL,             -- see package compare
    aspect  text     NOT NULL DEFAULT '',
    name    text     NOT NULL,
    shows   text     NOT NULL DEFAULT '',  -- what readers see meanwhile
    number  smallint NOT NULL DEFAULT 0,   -- what is swept
    reached bigint   NOT NULL DEFAULT 0,   -- how far it has come, by row number
    beside  bigint   NOT NULL DEFAULT 0,   -- of pairs: by the other end
    rows    bigint   NOT NULL DEFAULT 0,   -- gone over so far
    written bigint   NOT NULL DEFAULT 0,   -- of those, changed
    total   bigint   NOT NULL DEFAULT 0,   -- how many there are to go over, about
    spent   double precision NOT NULL DEFAULT 0,  -- seconds of work
    began   timestamptz,
    ended   timestamptz,
    error   text     NOT NULL DEFAULT '',  -- why it does not get on
    PRIMARY KEY (version, nth)
);
CREATE INDEX builds_left ON builds (version, nth) WHERE ended IS NULL;

-- Facts that do not fit the design in force. A row counts as long as its document
-- has that version, or its pair those fields.
CREATE TABLE misfits (
    subject smallint NOT NULL,             -- the collection, or the kind of pair
    doc     bigint   NOT NULL,             -- the document, or the pair's to end
    other   bigint   NOT NULL DEFAULT 0,   -- the pair's from end
    stamp   bigint   NOT NULL,             -- the document's version, or a hash of the pair's fields
    field   text     NOT NULL,
    code    text     NOT NULL,
    pointer text     NOT NULL,             -- where in the facts, a JSON Pointer
    detail  text     NOT NULL,
    PRIMARY KEY (subject, field, code, doc, other, pointer)
);
CREATE INDEX misfits_of ON misfits (doc);

-- What bringing an app along has found to be wrong with what it kept by hand.
CREATE TABLE brought (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at     timestamptz NOT NULL DEFAULT now(),
    report jsonb       NOT NULL
);

CREATE TABLE documents (
    n          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    collection smallint NOT NULL,
    key        text COLLATE "C" NOT NULL,  -- the id; nested: the ids from the top down, joined by /
    parent     bigint,                     -- the document it lies under
    version    bigint NOT NULL DEFAULT 1,
    created    timestamptz NOT NULL DEFAULT clock_timestamp(),
    updated    timestamptz NOT NULL DEFAULT clock_timestamp(),
    fields     jsonb NOT NULL,
    made_from  bytea,                      -- digest of the request that created it under a client's id
    shape      smallint,                   -- the form of its fields; null: the first
    quiet      jsonb,                      -- edits of values that not everybody may read, see quiet_edits.go
    UNIQUE (collection, key)
) WITH (autovacuum_analyze_scale_factor = 0.02, autovacuum_analyze_threshold = 500);
CREATE INDEX documents_nested ON documents (parent, collection, key) WHERE parent IS NOT NULL;

-- Kept values lie beside the facts, not in them: upkeep never waits for a
-- client's row lock, nor a client for upkeep.
CREATE TABLE kept (
    doc      bigint PRIMARY KEY,
    "values" jsonb NOT NULL,
    collection smallint NOT NULL DEFAULT 0  -- the document's, for the indexes of lists
) WITH (fillfactor = 80);

-- Who writes kept values by hand need not know of the collection. Otherwise they come with
-- their documents, which nobody remembers yet.
CREATE FUNCTION kept_collection() RETURNS trigger LANGUAGE plpgsql SET search_path = yalvo AS $$
BEGIN
    NEW.collection := coalesce((SELECT collection FROM documents WHERE n = NEW.doc), 0);
    INSERT INTO rewritten (xid, doc) VALUES (pg_current_xact_id()::text::bigint, NEW.doc);
    RETURN NEW;
END $$;
CREATE TRIGGER kept_collection BEFORE INSERT ON kept
    FOR EACH ROW WHEN (NEW.collection = 0) EXECUTE FUNCTION kept_collection();

CREATE TABLE refs (
    source    bigint   NOT NULL,
    reference smallint NOT NULL,
    target    bigint   NOT NULL,
    PRIMARY KEY (source, reference)
);
CREATE INDEX refs_pointing ON refs (reference, target, source);

CREATE TABLE uniques (
    field smallint NOT NULL,
    value text COLLATE "C" NOT NULL,
    doc   bigint NOT NULL,
    PRIMARY KEY (field, value)
);
CREATE INDEX uniques_of ON uniques (doc);

-- A pair goes from a to b. The key is led by b, so that a fan-out reads the
-- followers of one author in the order of the timelines it writes.
CREATE TABLE pairs (
    kind smallint    NOT NULL,
    b    bigint      NOT NULL,
    a    bigint      NOT NULL,
    at   timestamptz NOT NULL DEFAULT clock_timestamp(),
    fields jsonb,                          -- the pair's own, null if its kind has none
    shape  smallint,                       -- the form of its fields; null: the first
    PRIMARY KEY (kind, b, a)
) WITH (autovacuum_analyze_scale_factor = 0.02, autovacuum_analyze_threshold = 1000);
-- Not for who looks for a single pair: see walked in pairs.go.
CREATE INDEX pairs_from ON pairs (kind, a, at DESC, b DESC) WHERE at > '-infinity';
CREATE INDEX pairs_to   ON pairs (kind, b, at DESC, a DESC) WHERE at > '-infinity';

-- What each source adds to a kept summary: a sum is the sum of these, a least,
-- greatest or latest a choice among them. One row for a document that points
-- at (or lies under) a target, or for a pair, whose other end is the source.
CREATE TABLE contributions (
    summary smallint NOT NULL,
    source  bigint   NOT NULL,
    target  bigint   NOT NULL,
    value   numeric  NOT NULL,  -- of times: microseconds since 1970
    PRIMARY KEY (summary, source, target)
);
CREATE INDEX contributions_to ON contributions (summary, target, value, source);

-- What each author has posted into each kind of timeline: written with the
-- document itself, read when a follow brings entries in.
CREATE TABLE posted (
    timeline smallint NOT NULL,
    author   bigint   NOT NULL,
    rank     bigint   NOT NULL,  -- place in the order; of times, microseconds since 1970
    doc      bigint   NOT NULL,
    PRIMARY KEY (timeline, author, rank, doc)
);

CREATE TABLE entries (
    timeline smallint NOT NULL,
    owner    bigint   NOT NULL,
    rank     bigint   NOT NULL,
    doc      bigint   NOT NULL,
    author   bigint   NOT NULL,
    PRIMARY KEY (timeline, owner, rank, doc)
) PARTITION BY HASH (owner);
DO $$
BEGIN
    FOR i IN 0..7 LOOP
        EXECUTE format('CREATE TABLE entries_%s PARTITION OF entries FOR VALUES WITH (MODULUS 8, REMAINDER %s)', i, i);
    END LOOP;
END $$;

-- Authors whose entries are collected when a timeline is read, because they
-- have so many followers; no row: entries are written. Whoever changes a row
-- holds the author's lock.
CREATE TABLE delivery_modes (
    timeline smallint NOT NULL,
    author   bigint   NOT NULL,
    pushing  boolean  NOT NULL DEFAULT false,  -- entries are written as well: on the way back
    clean    boolean  NOT NULL DEFAULT false,  -- none are stored any more
    PRIMARY KEY (timeline, author)
);

-- Where a timeline has been cut: every entry above (rank, doc) is stored, those
-- at or below may have been dropped. surplus: how many stored entries may go
-- before fewer than the timeline's length are left. No row: nothing was dropped.
CREATE TABLE cuts (
    timeline smallint NOT NULL,
    owner    bigint   NOT NULL,
    rank     bigint   NOT NULL,
    doc      bigint   NOT NULL,
    surplus  bigint   NOT NULL,
    PRIMARY KEY (timeline, owner)
);

-- Documents that are gone. The journal and triggers name them while pairs of theirs
-- are still to be ended; and forgetting somebody reaches what was theirs and was
-- removed before, for as long as something of it may be left.
CREATE TABLE departed (
    n          bigint      PRIMARY KEY,
    key        text        NOT NULL,
    collection smallint    NOT NULL DEFAULT 0,
    created    timestamptz NOT NULL DEFAULT 'epoch',
    at         timestamptz NOT NULL DEFAULT clock_timestamp(),  -- infinity: something of it is left
    of         bigint[]    NOT NULL DEFAULT '{}'                -- what it lay under, or would have gone with
);
CREATE INDEX departed_of ON departed USING gin (of);
CREATE INDEX departed_named ON departed (collection, key);
CREATE INDEX departed_when ON departed (at);

-- Every committed change of facts. seq is the position that clients are given.
-- A reader that must miss nothing orders by what is visible: xid first.
CREATE TABLE journal (
    seq     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    xid     bigint      NOT NULL DEFAULT pg_current_xact_id()::text::bigint,
    at      timestamptz NOT NULL DEFAULT clock_timestamp(),
    kind    text        NOT NULL,  -- created, changed, removed, set, unset
    subject text        NOT NULL,  -- the document's path, or the pair's name
    detail  text        NOT NULL DEFAULT '',  -- the fields changed, or both ends of the pair
    actor   text        NOT NULL DEFAULT '',
    cause   bigint                 -- the change this one follows from
);
-- What happened to a document (by its path) or a pair (by its ends), and what
-- followed from a change.
CREATE INDEX journal_about ON journal (hashtextextended(CASE WHEN position('/' IN subject) > 0 THEN subject ELSE detail END, 0));
CREATE INDEX journal_cause ON journal (cause, seq) WHERE cause IS NOT NULL;
-- For those who read on: transactions are numbered nearly as their rows lie.
CREATE INDEX journal_xid ON journal USING brin (xid) WITH (pages_per_range = 16, autosummarize = on);

-- Maintenance that a change has made necessary. Rows are appended, never
-- merged: a worker that takes several does the merging.
CREATE TABLE due (
    lane       smallint NOT NULL,
    seq        bigint   NOT NULL GENERATED ALWAYS AS IDENTITY,
    step       smallint NOT NULL,
    subject    smallint NOT NULL,
    key        bigint   NOT NULL DEFAULT 0,
    doc        bigint   NOT NULL,
    rank       bigint   NOT NULL DEFAULT 0,
    amount     bigint   NOT NULL DEFAULT 0,
    cursor     bigint   NOT NULL DEFAULT 0,  -- how far a long step has come
    until      bigint   NOT NULL DEFAULT 9223372036854775807,  -- how far it has to go, where it was split among workers
    change     bigint   NOT NULL DEFAULT 0,  -- the change whose reader waits for it; 0: nobody waits; below: an audit
    chunks     integer  NOT NULL DEFAULT 0,  -- turns it has taken so far
    rows       bigint   NOT NULL DEFAULT 0,  -- what it has gone over in them
    since      timestamptz NOT NULL DEFAULT clock_timestamp(),
    attempts   smallint NOT NULL DEFAULT 0,
    not_before timestamptz,
    PRIMARY KEY (lane, change, seq)
) WITH (autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 2000, autovacuum_vacuum_cost_delay = 0);
-- Work on timelines is claimed author by author (steps: see package plan).
CREATE INDEX due_by_author ON due (step, subject, key, seq) WHERE lane = 3;
CREATE INDEX due_long ON due (seq) WHERE lane = 3 AND cursor > 0 AND step IN (3, 4);

-- Maintenance that failed again and again. It waits for a person.
CREATE TABLE parked (
    seq      bigint PRIMARY KEY,
    lane     smallint NOT NULL,
    step     smallint NOT NULL,
    subject  smallint NOT NULL,
    key      bigint   NOT NULL,
    doc      bigint   NOT NULL,
    rank     bigint   NOT NULL,
    amount   bigint   NOT NULL,
    cursor   bigint   NOT NULL,
    until    bigint   NOT NULL,
    change   bigint NOT NULL,
    chunks   integer NOT NULL,
    rows     bigint NOT NULL,
    since    timestamptz NOT NULL,
    attempts smallint NOT NULL,
    parked   timestamptz NOT NULL DEFAULT now(),
    error    text NOT NULL
);
CREATE INDEX parked_change ON parked (change);

-- Maintenance that was done, for those who ask what a change has caused.
CREATE TABLE done (
    change   bigint   NOT NULL,
    step     smallint NOT NULL,
    subject  smallint NOT NULL,
    chunks   integer  NOT NULL,
    rows     bigint   NOT NULL,
    attempts smallint NOT NULL,
    since    timestamptz NOT NULL,
    done     timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX done_change ON done (change);

-- What set off triggers of the developer's own: kept for a while, so that it
-- can be sent again.
CREATE TABLE events (
    n        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    trigger  smallint    NOT NULL,
    change   bigint      NOT NULL,  -- the client's change at the root
    subject  text        NOT NULL,  -- the document's path, or the pair's ends
    doc      bigint      NOT NULL,  -- the document, or the pair's from end
    other    bigint      NOT NULL,  -- the pair's to end; 0: none
    depth    bigint      NOT NULL,  -- how many triggers in a row
    at       timestamptz NOT NULL DEFAULT clock_timestamp(),
    payload  jsonb       NOT NULL
);
CREATE INDEX events_by ON events (trigger, change);
CREATE INDEX events_when ON events (at);

-- What a frozen copy was given, and of whom: it stays when the reference moves
-- on. An audit compares with it, and forgetting a person finds the copies by it;
-- then they are empty, of nobody (0).
CREATE TABLE origins (
    source bigint   NOT NULL,  -- the document that holds the copy
    copy   smallint NOT NULL,
    target bigint   NOT NULL,
    value  jsonb    NOT NULL,
    PRIMARY KEY (source, copy)
);
CREATE INDEX origins_of ON origins (copy, target);

-- People and other documents that were forgotten: what went with them, and
-- what a search for the rest has found.
CREATE TABLE forgotten (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    path    text        NOT NULL,
    change  bigint,                        -- the removal
    places  jsonb       NOT NULL,          -- where it was duplicated to
    answers bigint      NOT NULL DEFAULT 0,  -- dropped
    events  bigint      NOT NULL DEFAULT 0,
    report  jsonb,                         -- null: not finished
    started timestamptz NOT NULL DEFAULT now(),
    ended   timestamptz
);
CREATE TABLE forgotten_documents (
    forgotten bigint NOT NULL,
    n         bigint NOT NULL,
    path      text   NOT NULL,
    created   timestamptz NOT NULL,  -- another may have the path since
    PRIMARY KEY (forgotten, n)
);

-- All maintenance that is not done, due or parked: an audit excuses what it is about.
CREATE VIEW outstanding AS
    SELECT lane, step, subject, key, doc, amount, change FROM due
    UNION ALL
    SELECT lane, step, subject, key, doc, amount, change FROM parked;

-- Audits: what they look at, how far they have come, and what they found.
CREATE TABLE audits (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text        NOT NULL DEFAULT '',  -- one duplicate of the design only; empty: all
    document text        NOT NULL DEFAULT '',  -- one document only, by its path; empty: all
    state    text        NOT NULL DEFAULT 'running',  -- running, stopped, finished, failed
    mending  boolean     NOT NULL DEFAULT false,
    round    integer     NOT NULL DEFAULT 1,   -- with mending: how often everything was looked at
    step     integer     NOT NULL DEFAULT 0,   -- which duplicate is being walked
    steps    integer     NOT NULL,
    reached  bigint      NOT NULL DEFAULT 0,   -- how far in it, by row number
    checked  bigint      NOT NULL DEFAULT 0,
    drifted  bigint      NOT NULL DEFAULT 0,
    started  timestamptz NOT NULL DEFAULT now(),
    ended    timestamptz,
    error    text        NOT NULL DEFAULT '',
    design   integer     NOT NULL DEFAULT 0,   -- the version of the design that it goes by
    left_out text        NOT NULL DEFAULT ''   -- names of what was being derived anew
);
CREATE INDEX audits_running ON audits (id) WHERE state = 'running';

CREATE TABLE drift (
    audit    bigint   NOT NULL,
    seq      bigint   NOT NULL GENERATED ALWAYS AS IDENTITY,
    round    integer  NOT NULL,
    aspect   text     NOT NULL,
    name     text     NOT NULL,   -- of the duplicate in the design
    kind     text     NOT NULL,   -- missing, surplus, different, dangling, orphaned, short
    doc      bigint   NOT NULL,   -- the document that holds it
    other    bigint   NOT NULL DEFAULT 0,
    meant    bigint   NOT NULL DEFAULT 0,
    path     text     NOT NULL DEFAULT '',
    other_path text   NOT NULL DEFAULT '',
    stored   jsonb,
    expected jsonb,
    since    timestamptz,
    mended   timestamptz,
    PRIMARY KEY (audit, seq)
);
CREATE INDEX drift_in ON drift (audit, aspect, name, doc);

-- Answers to requests that carried an Idempotency-Key, by who asked.
CREATE TABLE answered (
    account  text NOT NULL,   -- empty: nobody said who asks
    key      text NOT NULL,
    request  bytea NOT NULL,  -- digest of method, path, caller and body
    answer   text,
    answered timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account, key)
);
CREATE INDEX answered_when ON answered (answered);

-- Operator keys. A key itself is nowhere: it was shown once.
CREATE TABLE operator_keys (
    id      text        PRIMARY KEY,
    name    text        NOT NULL,
    scope   text        NOT NULL,   -- read, write, operate: each may do what those before it may
    hash    bytea       NOT NULL,   -- SHA-256 of its secret, which is as random as the hash is long
    made    timestamptz NOT NULL DEFAULT now(),
    used    timestamptz,            -- the minute in which it was used last
    revoked timestamptz
);

-- What stands for a key in a browser: sessions of the console, and links that begin one once.
CREATE TABLE key_sessions (
    hash    bytea       PRIMARY KEY,   -- SHA-256 of the cookie's value, or of the link's
    key     text        NOT NULL REFERENCES operator_keys ON DELETE CASCADE,
    once    boolean     NOT NULL,      -- a link
    expires timestamptz NOT NULL
);

-- Passwords of accounts that the built-in issuer signs in.
CREATE TABLE passwords (
    account bigint      PRIMARY KEY,   -- documents.n, which no later account gets
    hash    text        NOT NULL,      -- argon2id, with its salt and cost
    changed timestamptz NOT NULL DEFAULT now()
);

-- Accounts that are signed in, each until its refresh token has not been used for long.
CREATE TABLE sign_ins (
    id      text        PRIMARY KEY,
    account bigint      NOT NULL,   -- documents.n
    token   bytea       NOT NULL,   -- SHA-256 of the refresh token that holds
    before  bytea,                  -- and of the one it has replaced
    rotated timestamptz NOT NULL DEFAULT now(),
    made    timestamptz NOT NULL DEFAULT now(),
    expires timestamptz NOT NULL
);
CREATE INDEX sign_ins_of ON sign_ins (account);

-- Of what frozen copies were given by documents that come later in a load.
CREATE TABLE given_later (
    source bigint   NOT NULL,
    copy   smallint NOT NULL,
    "of"   smallint NOT NULL,   -- the target's collection
    key    text     NOT NULL,
    PRIMARY KEY (source, copy)
);

-- From where accounts have signed in with the right password lately: who tries one of theirs elsewhere
-- does not keep them from doing it again from there.
CREATE TABLE familiar (
    account bigint      NOT NULL,   -- documents.n
    place   bigint      NOT NULL,   -- of the address, keyed with a secret
    latest  timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account, place)
);

-- Wrong passwords lately, by what they have in common: an account's name, an address.
CREATE TABLE guesses (
    bucket integer     PRIMARY KEY,   -- of a hash: so many rows at most, whatever is sent
    wrong  integer     NOT NULL,
    latest timestamptz NOT NULL DEFAULT now(),
    until  timestamptz NOT NULL DEFAULT now()   -- no other try before
);

-- Pictures, which lie in files: what is known of each, and which documents refer to it.
CREATE TABLE pictures (
    id       text        PRIMARY KEY,   -- SHA-256 of what was uploaded
    width    integer     NOT NULL,
    height   integer     NOT NULL,
    types    text        NOT NULL    -- of its versions, the largest first: jpeg, png
);
-- Who has uploaded one lately, and has not used it yet: nobody else is to know of that.
CREATE TABLE picture_uploads (
    account  text        NOT NULL,   -- empty: an operator, or nobody
    picture  text        NOT NULL REFERENCES pictures ON DELETE CASCADE,
    bytes    bigint      NOT NULL,
    uploaded timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (account, picture)
);
CREATE INDEX picture_uploads_of ON picture_uploads (picture);
CREATE INDEX picture_uploads_old ON picture_uploads (uploaded);
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
    epoch bigint      NOT NULL,   -- another one after a crash, and after an audit
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

-- Rows that are taken away all together, and notes that are: nothing is known of what was there. Triggers fire
-- for a session that applies what others have written, too (session_replication_role).
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

-- What has really been read and written, by the hour.
CREATE TABLE metered (
    hour      timestamptz NOT NULL,
    kind      text        NOT NULL,
    name      text        NOT NULL,
    times     bigint      NOT NULL,
    unchanged bigint      NOT NULL,
    documents bigint      NOT NULL,
    pairs     bigint      NOT NULL,
    entries   bigint      NOT NULL,
    kept      bigint      NOT NULL,
    sent      bigint      NOT NULL,
    bytes     bigint      NOT NULL,
    PRIMARY KEY (hour, kind, name)
);

-- Designs that somebody works on: text that nothing is derived from.
CREATE TABLE drafts (
    name    text PRIMARY KEY,
    edition bigint      NOT NULL,             -- goes up whenever it is kept
    base    integer     NOT NULL,             -- the version of the design that it began from; 0: none
    source  text        NOT NULL,
    author  text        NOT NULL,             -- who kept it last
    changed timestamptz NOT NULL DEFAULT now()
);
