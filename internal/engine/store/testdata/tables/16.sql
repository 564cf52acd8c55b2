CREATE SCHEMA yalvo;
CREATE FUNCTION yalvo.kept_collection() RETURNS trigger
    LANGUAGE plpgsql
    SET search_path TO 'yalvo'
    AS $$
BEGIN
    NEW.collection := coalesce((SELECT collection FROM documents WHERE n = NEW.doc), 0);
    INSERT INTO rewritten (xid, doc) VALUES (pg_current_xact_id()::text::bigint, NEW.doc);
    RETURN NEW;
END $$;
CREATE FUNCTION yalvo.note_pictures() RETURNS trigger
    LANGUAGE plpgsql
    SET search_path TO 'yalvo'
    AS $$
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
CREATE FUNCTION yalvo.note_rewritten() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
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
CREATE FUNCTION yalvo.note_truncated() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
BEGIN
    INSERT INTO yalvo.rewritten (xid, doc) VALUES (pg_current_xact_id()::text::bigint, 0);
    RETURN NULL;
END $$;
CREATE FUNCTION yalvo.pictures_in(fields jsonb) RETURNS SETOF text
    LANGUAGE sql IMMUTABLE STRICT
    AS $_$
    SELECT DISTINCT substr(v #>> '{}', 10)
    FROM jsonb_path_query(fields, 'strict $.** ? (@.type() == "string" && @ starts with "pictures/")') AS v
$_$;
CREATE TABLE yalvo.answered (
    account text NOT NULL,
    key text NOT NULL,
    request bytea NOT NULL,
    answer text,
    answered timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE yalvo.audits (
    id bigint NOT NULL,
    name text DEFAULT ''::text NOT NULL,
    document text DEFAULT ''::text NOT NULL,
    state text DEFAULT 'running'::text NOT NULL,
    mending boolean DEFAULT false NOT NULL,
    round integer DEFAULT 1 NOT NULL,
    step integer DEFAULT 0 NOT NULL,
    steps integer NOT NULL,
    reached bigint DEFAULT 0 NOT NULL,
    checked bigint DEFAULT 0 NOT NULL,
    drifted bigint DEFAULT 0 NOT NULL,
    started timestamp with time zone DEFAULT now() NOT NULL,
    ended timestamp with time zone,
    error text DEFAULT ''::text NOT NULL,
    design integer DEFAULT 0 NOT NULL,
    left_out text DEFAULT ''::text NOT NULL
);
ALTER TABLE yalvo.audits ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.audits_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.brought (
    id bigint NOT NULL,
    at timestamp with time zone DEFAULT now() NOT NULL,
    report jsonb NOT NULL
);
ALTER TABLE yalvo.brought ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.brought_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.builds (
    version integer NOT NULL,
    nth integer NOT NULL,
    does text NOT NULL,
    aspect text DEFAULT ''::text NOT NULL,
    name text NOT NULL,
    shows text DEFAULT ''::text NOT NULL,
    number smallint DEFAULT 0 NOT NULL,
    reached bigint DEFAULT 0 NOT NULL,
    beside bigint DEFAULT 0 NOT NULL,
    rows bigint DEFAULT 0 NOT NULL,
    written bigint DEFAULT 0 NOT NULL,
    total bigint DEFAULT 0 NOT NULL,
    spent double precision DEFAULT 0 NOT NULL,
    began timestamp with time zone,
    ended timestamp with time zone,
    error text DEFAULT ''::text NOT NULL
);
CREATE TABLE yalvo.contributions (
    summary smallint NOT NULL,
    source bigint NOT NULL,
    target bigint NOT NULL,
    value numeric NOT NULL
);
CREATE TABLE yalvo.cuts (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    surplus bigint NOT NULL
);
CREATE TABLE yalvo.delivery_modes (
    timeline smallint NOT NULL,
    author bigint NOT NULL,
    pushing boolean DEFAULT false NOT NULL,
    clean boolean DEFAULT false NOT NULL
);
CREATE TABLE yalvo.departed (
    n bigint NOT NULL,
    key text NOT NULL,
    collection smallint DEFAULT 0 NOT NULL,
    created timestamp with time zone DEFAULT '1970-01-01 00:00:00+00'::timestamp with time zone NOT NULL,
    at timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    of bigint[] DEFAULT '{}'::bigint[] NOT NULL
);
CREATE TABLE yalvo.designs (
    version integer NOT NULL,
    applied timestamp with time zone DEFAULT now() NOT NULL,
    file text NOT NULL,
    source text NOT NULL,
    author text DEFAULT ''::text NOT NULL,
    did jsonb
);
CREATE TABLE yalvo.documents (
    n bigint NOT NULL,
    collection smallint NOT NULL,
    key text NOT NULL COLLATE pg_catalog."C",
    parent bigint,
    version bigint DEFAULT 1 NOT NULL,
    created timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    updated timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    fields jsonb NOT NULL,
    made_from bytea,
    shape smallint,
    quiet jsonb
)
WITH (autovacuum_analyze_scale_factor='0.02', autovacuum_analyze_threshold='500');
ALTER TABLE yalvo.documents ALTER COLUMN n ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.documents_n_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.done (
    change bigint NOT NULL,
    step smallint NOT NULL,
    subject smallint NOT NULL,
    chunks integer NOT NULL,
    rows bigint NOT NULL,
    attempts smallint NOT NULL,
    since timestamp with time zone NOT NULL,
    done timestamp with time zone DEFAULT clock_timestamp() NOT NULL
);
CREATE TABLE yalvo.drift (
    audit bigint NOT NULL,
    seq bigint NOT NULL,
    round integer NOT NULL,
    aspect text NOT NULL,
    name text NOT NULL,
    kind text NOT NULL,
    doc bigint NOT NULL,
    other bigint DEFAULT 0 NOT NULL,
    meant bigint DEFAULT 0 NOT NULL,
    path text DEFAULT ''::text NOT NULL,
    other_path text DEFAULT ''::text NOT NULL,
    stored jsonb,
    expected jsonb,
    since timestamp with time zone,
    mended timestamp with time zone
);
ALTER TABLE yalvo.drift ALTER COLUMN seq ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.drift_seq_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.due (
    lane smallint NOT NULL,
    seq bigint NOT NULL,
    step smallint NOT NULL,
    subject smallint NOT NULL,
    key bigint DEFAULT 0 NOT NULL,
    doc bigint NOT NULL,
    rank bigint DEFAULT 0 NOT NULL,
    amount bigint DEFAULT 0 NOT NULL,
    cursor bigint DEFAULT 0 NOT NULL,
    until bigint DEFAULT '9223372036854775807'::bigint NOT NULL,
    change bigint DEFAULT 0 NOT NULL,
    chunks integer DEFAULT 0 NOT NULL,
    rows bigint DEFAULT 0 NOT NULL,
    since timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    attempts smallint DEFAULT 0 NOT NULL,
    not_before timestamp with time zone
)
WITH (autovacuum_vacuum_scale_factor='0', autovacuum_vacuum_threshold='2000', autovacuum_vacuum_cost_delay='0');
ALTER TABLE yalvo.due ALTER COLUMN seq ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.due_seq_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.entries (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
)
PARTITION BY HASH (owner);
CREATE TABLE yalvo.entries_0 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_1 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_2 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_3 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_4 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_5 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_6 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.entries_7 (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    author bigint NOT NULL
);
CREATE TABLE yalvo.events (
    n bigint NOT NULL,
    trigger smallint NOT NULL,
    change bigint NOT NULL,
    subject text NOT NULL,
    doc bigint NOT NULL,
    other bigint NOT NULL,
    depth bigint NOT NULL,
    at timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    payload jsonb NOT NULL
);
ALTER TABLE yalvo.events ALTER COLUMN n ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.events_n_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.familiar (
    account bigint NOT NULL,
    place bigint NOT NULL,
    latest timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE yalvo.forgotten (
    id bigint NOT NULL,
    path text NOT NULL,
    change bigint,
    places jsonb NOT NULL,
    answers bigint DEFAULT 0 NOT NULL,
    events bigint DEFAULT 0 NOT NULL,
    report jsonb,
    started timestamp with time zone DEFAULT now() NOT NULL,
    ended timestamp with time zone
);
CREATE TABLE yalvo.forgotten_documents (
    forgotten bigint NOT NULL,
    n bigint NOT NULL,
    path text NOT NULL,
    created timestamp with time zone NOT NULL
);
ALTER TABLE yalvo.forgotten ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.forgotten_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.given_later (
    source bigint NOT NULL,
    copy smallint NOT NULL,
    of smallint NOT NULL,
    key text NOT NULL
);
CREATE TABLE yalvo.guesses (
    bucket integer NOT NULL,
    wrong integer NOT NULL,
    latest timestamp with time zone DEFAULT now() NOT NULL,
    until timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE yalvo.journal (
    seq bigint NOT NULL,
    xid bigint DEFAULT ((pg_current_xact_id())::text)::bigint NOT NULL,
    at timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    kind text NOT NULL,
    subject text NOT NULL,
    detail text DEFAULT ''::text NOT NULL,
    actor text DEFAULT ''::text NOT NULL,
    cause bigint
);
ALTER TABLE yalvo.journal ALTER COLUMN seq ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.journal_seq_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.kept (
    doc bigint NOT NULL,
    "values" jsonb NOT NULL,
    collection smallint DEFAULT 0 NOT NULL
)
WITH (fillfactor='80');
CREATE TABLE yalvo.key_sessions (
    hash bytea NOT NULL,
    key text NOT NULL,
    once boolean NOT NULL,
    expires timestamp with time zone NOT NULL
);
CREATE TABLE yalvo.loose_pictures (
    picture text NOT NULL
);
CREATE TABLE yalvo.metered (
    hour timestamp with time zone NOT NULL,
    kind text NOT NULL,
    name text NOT NULL,
    times bigint NOT NULL,
    unchanged bigint NOT NULL,
    documents bigint NOT NULL,
    pairs bigint NOT NULL,
    entries bigint NOT NULL,
    kept bigint NOT NULL,
    sent bigint NOT NULL,
    bytes bigint NOT NULL
);
CREATE TABLE yalvo.misfits (
    subject smallint NOT NULL,
    doc bigint NOT NULL,
    other bigint DEFAULT 0 NOT NULL,
    stamp bigint NOT NULL,
    field text NOT NULL,
    code text NOT NULL,
    pointer text NOT NULL,
    detail text NOT NULL
);
CREATE TABLE yalvo.numbers (
    n smallint NOT NULL,
    kind text NOT NULL,
    name text NOT NULL,
    shape smallint
);
ALTER TABLE yalvo.numbers ALTER COLUMN n ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.numbers_n_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.operator_keys (
    id text NOT NULL,
    name text NOT NULL,
    scope text NOT NULL,
    hash bytea NOT NULL,
    made timestamp with time zone DEFAULT now() NOT NULL,
    used timestamp with time zone,
    revoked timestamp with time zone
);
CREATE TABLE yalvo.origins (
    source bigint NOT NULL,
    copy smallint NOT NULL,
    target bigint NOT NULL,
    value jsonb NOT NULL
);
CREATE TABLE yalvo.parked (
    seq bigint NOT NULL,
    lane smallint NOT NULL,
    step smallint NOT NULL,
    subject smallint NOT NULL,
    key bigint NOT NULL,
    doc bigint NOT NULL,
    rank bigint NOT NULL,
    amount bigint NOT NULL,
    cursor bigint NOT NULL,
    until bigint NOT NULL,
    change bigint NOT NULL,
    chunks integer NOT NULL,
    rows bigint NOT NULL,
    since timestamp with time zone NOT NULL,
    attempts smallint NOT NULL,
    parked timestamp with time zone DEFAULT now() NOT NULL,
    error text NOT NULL
);
CREATE VIEW yalvo.outstanding AS
 SELECT due.lane,
    due.step,
    due.subject,
    due.key,
    due.doc,
    due.amount,
    due.change
   FROM yalvo.due
UNION ALL
 SELECT parked.lane,
    parked.step,
    parked.subject,
    parked.key,
    parked.doc,
    parked.amount,
    parked.change
   FROM yalvo.parked;
CREATE TABLE yalvo.pairs (
    kind smallint NOT NULL,
    b bigint NOT NULL,
    a bigint NOT NULL,
    at timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    fields jsonb,
    shape smallint
)
WITH (autovacuum_analyze_scale_factor='0.02', autovacuum_analyze_threshold='1000');
CREATE TABLE yalvo.passwords (
    account bigint NOT NULL,
    hash text NOT NULL,
    changed timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE yalvo.picture_refs (
    picture text NOT NULL,
    doc bigint NOT NULL
);
CREATE TABLE yalvo.picture_uploads (
    account text NOT NULL,
    picture text NOT NULL,
    bytes bigint NOT NULL,
    uploaded timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE yalvo.pictures (
    id text NOT NULL,
    width integer NOT NULL,
    height integer NOT NULL,
    types text NOT NULL
);
CREATE TABLE yalvo.posted (
    timeline smallint NOT NULL,
    author bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL
);
CREATE TABLE yalvo.refs (
    source bigint NOT NULL,
    reference smallint NOT NULL,
    target bigint NOT NULL
);
CREATE UNLOGGED TABLE yalvo.rewritten (
    xid bigint NOT NULL,
    doc bigint NOT NULL
)
WITH (autovacuum_vacuum_scale_factor='0', autovacuum_vacuum_threshold='5000');
CREATE UNLOGGED TABLE yalvo.rewritten_since (
    one boolean DEFAULT true NOT NULL,
    epoch bigint NOT NULL,
    xid bigint NOT NULL,
    next bigint NOT NULL,
    at timestamp with time zone DEFAULT now() NOT NULL,
    CONSTRAINT rewritten_since_one_check CHECK (one)
);
CREATE TABLE yalvo.settings (
    name text NOT NULL,
    value text NOT NULL
);
CREATE TABLE yalvo.sign_ins (
    id text NOT NULL,
    account bigint NOT NULL,
    token bytea NOT NULL,
    before bytea,
    rotated timestamp with time zone DEFAULT now() NOT NULL,
    made timestamp with time zone DEFAULT now() NOT NULL,
    expires timestamp with time zone NOT NULL
);
CREATE TABLE yalvo.uniques (
    field smallint NOT NULL,
    value text NOT NULL COLLATE pg_catalog."C",
    doc bigint NOT NULL
);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_0 FOR VALUES WITH (modulus 8, remainder 0);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_1 FOR VALUES WITH (modulus 8, remainder 1);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_2 FOR VALUES WITH (modulus 8, remainder 2);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_3 FOR VALUES WITH (modulus 8, remainder 3);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_4 FOR VALUES WITH (modulus 8, remainder 4);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_5 FOR VALUES WITH (modulus 8, remainder 5);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_6 FOR VALUES WITH (modulus 8, remainder 6);
ALTER TABLE ONLY yalvo.entries ATTACH PARTITION yalvo.entries_7 FOR VALUES WITH (modulus 8, remainder 7);
INSERT INTO yalvo.audits OVERRIDING SYSTEM VALUE VALUES (1, '', '', 'finished', false, 1, 18, 18, 0, 114, 0, '2026-11-26 20:13:21.747661+00', '2026-11-26 20:13:21.816248+00', '', 2, '');
INSERT INTO yalvo.builds VALUES (2, 1, 'build', 'count', 'people.given', 'hidden', 0, 9223372036854775807, 0, 4, 4, 4, 0.001525278, '2026-11-26 20:13:21.627336+00', '2026-11-26 20:13:21.626834+00', '');
INSERT INTO yalvo.builds VALUES (3, 1, 'index', '', 'everyone', 'refused', 0, 0, 0, 8, 0, 8, 0.0021971169999999997, '2026-11-27 05:53:07.384549+00', '2026-11-27 05:53:07.390138+00', '');
INSERT INTO yalvo.builds VALUES (3, 2, 'index', '', 'sized', 'refused', 0, 0, 0, 8, 0, 8, 0.00107791, '2026-11-27 05:53:07.3934+00', '2026-11-27 05:53:07.39708+00', '');
INSERT INTO yalvo.builds VALUES (3, 3, 'index', '', 'liked', 'refused', 0, 0, 0, 8, 0, 8, 0.001730938, '2026-11-27 05:53:07.400366+00', '2026-11-27 05:53:07.403307+00', '');
INSERT INTO yalvo.builds VALUES (3, 4, 'unindex', '', 'lists', '', 0, 0, 0, 0, 0, 0, 0.004015901, '2026-11-27 05:53:07.409119+00', '2026-11-27 05:53:07.408983+00', '');
INSERT INTO yalvo.builds VALUES (3, 5, 'build', 'choice', 'people.followers', 'partly', 0, 0, 0, 0, 0, 0, 3.48e-06, '2026-12-02 04:49:21.114643+00', '2026-12-02 04:49:21.113837+00', '');
INSERT INTO yalvo.builds VALUES (3, 6, 'build', 'choice', 'people.given', 'partly', 0, 0, 0, 0, 0, 0, 3.477e-06, '2026-12-02 04:49:21.143645+00', '2026-12-02 04:49:21.143542+00', '');
INSERT INTO yalvo.builds VALUES (3, 7, 'build', 'choice', 'people.newest', 'partly', 0, 9223372036854775807, 0, 4, 0, 4, 0.00192048, '2026-12-02 04:49:21.153564+00', '2026-12-02 04:49:21.153089+00', '');
INSERT INTO yalvo.builds VALUES (3, 8, 'build', 'choice', 'people.posts_n', 'partly', 0, 0, 0, 0, 0, 0, 2.761e-06, '2026-12-02 04:49:21.155996+00', '2026-12-02 04:49:21.155851+00', '');
INSERT INTO yalvo.builds VALUES (3, 9, 'build', 'choice', 'people.sizes', 'partly', 0, 0, 0, 0, 0, 0, 3.037e-06, '2026-12-02 04:49:21.158131+00', '2026-12-02 04:49:21.158012+00', '');
INSERT INTO yalvo.builds VALUES (3, 10, 'build', 'choice', 'posts.byline', 'partly', 0, 0, 0, 0, 0, 0, 2.754e-06, '2026-12-02 04:49:21.159954+00', '2026-12-02 04:49:21.159864+00', '');
INSERT INTO yalvo.builds VALUES (3, 11, 'build', 'choice', 'posts.likes', 'partly', 0, 0, 0, 0, 0, 0, 2.582e-06, '2026-12-02 04:49:21.161793+00', '2026-12-02 04:49:21.161622+00', '');
INSERT INTO yalvo.builds VALUES (3, 12, 'build', 'choice', 'posts.signed', 'partly', 0, 0, 0, 0, 0, 0, 2.349e-06, '2026-12-02 04:49:21.163616+00', '2026-12-02 04:49:21.163469+00', '');
INSERT INTO yalvo.contributions VALUES (9, 5, 1, 1);
INSERT INTO yalvo.contributions VALUES (10, 5, 1, 1795724001305870);
INSERT INTO yalvo.contributions VALUES (9, 6, 2, 1);
INSERT INTO yalvo.contributions VALUES (10, 6, 2, 1795724001326600);
INSERT INTO yalvo.contributions VALUES (9, 7, 3, 1);
INSERT INTO yalvo.contributions VALUES (10, 7, 3, 1795724001351497);
INSERT INTO yalvo.contributions VALUES (9, 8, 1, 2);
INSERT INTO yalvo.contributions VALUES (10, 8, 1, 1795724001372761);
INSERT INTO yalvo.contributions VALUES (9, 9, 2, 2);
INSERT INTO yalvo.contributions VALUES (10, 9, 2, 1795724001393912);
INSERT INTO yalvo.contributions VALUES (9, 10, 3, 2);
INSERT INTO yalvo.contributions VALUES (10, 10, 3, 1795724001415657);
INSERT INTO yalvo.contributions VALUES (9, 11, 1, 3);
INSERT INTO yalvo.contributions VALUES (10, 11, 1, 1795724001436758);
INSERT INTO yalvo.contributions VALUES (9, 12, 2, 3);
INSERT INTO yalvo.contributions VALUES (10, 12, 2, 1795724001457786);
INSERT INTO yalvo.contributions VALUES (10, 14, 3, 1796186961112243);
INSERT INTO yalvo.contributions VALUES (10, 15, 3, 1796227302025310);
INSERT INTO yalvo.delivery_modes VALUES (14, 1, false, true);
INSERT INTO yalvo.departed VALUES (13, 'cy-3', 2, '2026-11-26 20:13:21.478629+00', '2026-11-26 20:13:21.575926+00', '{3}');
INSERT INTO yalvo.designs VALUES (1, '2026-11-26 20:13:21.081478+00', 'd1.yaml', 'yalvo: 1
app: reeds
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true, max: 40}, handle: {type: string, unique: true}}
    kept: {followers: {count: follow.to}, posts_n: {count: posts.author}, sizes: {sum: posts.author, of: size}, newest: {latest: posts.author, how_many: 2, fields: [text]}}
  posts:
    fields: {text: {type: string, required: true}, size: {type: integer}, author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}}
    kept: {byline: {copy: author, fields: [name]}, signed: {copy: author, fields: [name], frozen: true}, likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followed_by, fields: {since: {type: integer}}}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 50, deliver: mixed, above: 2, carry: [text, byline]}
', 'root', '[{"How": "added", "Was": "", "Kind": "collection", "Name": "people", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "collection", "Name": "posts", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "pair", "Name": "follow", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "pair", "Name": "like", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "timeline", "Name": "home", "What": null, "Effects": ["rebuild"]}]');
INSERT INTO yalvo.designs VALUES (2, '2026-11-26 20:13:21.615836+00', 'd2.yaml', 'yalvo: 1
app: reeds
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true, max: 40}, handle: {type: string, unique: true}}
    kept: {followers: {count: follow.to}, posts_n: {count: posts.author}, given: {count: like.from}, sizes: {sum: posts.author, of: size}, newest: {latest: posts.author, how_many: 2, fields: [text]}}
  posts:
    fields: {text: {type: string, required: true}, size: {type: integer}, author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}}
    kept: {byline: {copy: author, fields: [name]}, signed: {copy: author, fields: [name], frozen: true}, likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followed_by, fields: {since: {type: integer}}}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 50, deliver: mixed, above: 2, carry: [text, byline]}
', 'root', '[{"How": "added", "Was": "", "Kind": "kept value", "Name": "people.given", "What": null, "Effects": ["rebuild"]}]');
INSERT INTO yalvo.designs VALUES (3, '2026-11-27 05:53:07.369158+00', 'd9.yaml', 'yalvo: 1
app: reeds
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true, max: 40}, handle: {type: string, unique: true}}
    kept: {followers: {count: follow.to}, posts_n: {count: posts.author}, given: {count: like.from}, sizes: {sum: posts.author, of: size}, newest: {latest: posts.author, how_many: 2, fields: [text]}}
  posts:
    fields: {text: {type: string, required: true}, size: {type: integer}, author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}}
    kept: {byline: {copy: author, fields: [name]}, signed: {copy: author, fields: [name], frozen: true}, likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followed_by, fields: {since: {type: integer}}}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 50, deliver: mixed, above: 2, carry: [text, byline]}
lists:
  everyone: {entries: posts}
  sized: {entries: posts, order: size}
  liked: {entries: posts, order: likes}
', 'root', '[{"How": "added", "Was": "", "Kind": "list", "Name": "everyone", "What": null, "Effects": ["index"]}, {"How": "added", "Was": "", "Kind": "list", "Name": "sized", "What": null, "Effects": ["index"]}, {"How": "added", "Was": "", "Kind": "list", "Name": "liked", "What": null, "Effects": ["index"]}]');
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (1, 1, 'ada', NULL, 1, '2026-11-26 20:13:21.118473+00', '2026-11-26 20:13:21.118473+00', '{"name": "Ada", "handle": "ada"}', '\xdd0839e7c3782fccdb4a68caa3aeba5a14795cf84c70936ebefa97c5994a63f5', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (3, 1, 'cy', NULL, 1, '2026-11-26 20:13:21.152196+00', '2026-11-26 20:13:21.152196+00', '{"name": "Cy", "handle": "cy"}', '\x81bc3588b08c01e3b4e3f5d3b5308af9fffd6cf0c0de22644eba92b5f5126aa0', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (4, 1, 'dora', NULL, 1, '2026-11-26 20:13:21.168023+00', '2026-11-26 20:13:21.168023+00', '{"name": "Dora", "handle": "dora"}', '\x54ee63e20afdd64fdf28b6fad562b2d592820cc2fc5d57cfb3676fb44dda97fc', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (5, 2, 'ada-1', NULL, 1, '2026-11-26 20:13:21.30587+00', '2026-11-26 20:13:21.30587+00', '{"size": 1, "text": "ada says 1, with é and a \\ in it", "author": "ada"}', '\x15a402d8038d80cb035edaa445ae74c844c33980961f2c4ae5a1d60e79d18373', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (6, 2, 'ben-1', NULL, 1, '2026-11-26 20:13:21.3266+00', '2026-11-26 20:13:21.3266+00', '{"size": 1, "text": "ben says 1, with é and a \\ in it", "author": "ben"}', '\x32228039af5206c7be75b591d142c84217b206fb98545c86e4c2ae005d334467', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (7, 2, 'cy-1', NULL, 1, '2026-11-26 20:13:21.351497+00', '2026-11-26 20:13:21.351497+00', '{"size": 1, "text": "cy says 1, with é and a \\ in it", "author": "cy"}', '\x520d662e5df13be4e7408d3acd75d3f1e692a22efe45b2ad2a334be632a9b567', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (8, 2, 'ada-2', NULL, 1, '2026-11-26 20:13:21.372761+00', '2026-11-26 20:13:21.372761+00', '{"size": 2, "text": "ada says 2, with é and a \\ in it", "author": "ada"}', '\x4fc3ced7e4faa78df0cac7d8a235f61cd8dc495c070dd82946929b6352ee0045', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (9, 2, 'ben-2', NULL, 1, '2026-11-26 20:13:21.393912+00', '2026-11-26 20:13:21.393912+00', '{"size": 2, "text": "ben says 2, with é and a \\ in it", "author": "ben"}', '\xd7f686fffffd40280d98f90af579eabfbc95f2f767fd505cb145fe868accbd67', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (10, 2, 'cy-2', NULL, 1, '2026-11-26 20:13:21.415657+00', '2026-11-26 20:13:21.415657+00', '{"size": 2, "text": "cy says 2, with é and a \\ in it", "author": "cy"}', '\xa3c840132511f9d0d9f23284ff7b04ccc691785e2166d8107bca6c2d50e57f16', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (11, 2, 'ada-3', NULL, 1, '2026-11-26 20:13:21.436758+00', '2026-11-26 20:13:21.436758+00', '{"size": 3, "text": "ada says 3, with é and a \\ in it", "author": "ada"}', '\x4ef200e27c823119f8dbe9110d13d13a0f664d27cedf3f8a80898c19f8e117e9', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (12, 2, 'ben-3', NULL, 1, '2026-11-26 20:13:21.457786+00', '2026-11-26 20:13:21.457786+00', '{"size": 3, "text": "ben says 3, with é and a \\ in it", "author": "ben"}', '\xf68725b8a711c00dcb9103e3736681f0959844413427ae6fd575e174b8f65289', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (2, 1, 'ben', NULL, 2, '2026-11-26 20:13:21.136136+00', '2026-11-26 20:13:21.554266+00', '{"name": "Benno", "handle": "ben"}', '\xa784fe48d7fe1240db94f65b566be40e5d2e5e3a52128e49adf8d2bc44cb80db', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (14, 2, 'cy-8', NULL, 1, '2026-12-02 04:49:21.112243+00', '2026-12-02 04:49:21.112243+00', '{"text": "still here", "author": "cy"}', '\x132d4e7a543a03aacec5ba77b77f4b006a33cce8b620e56e5ff66250396d8c91', NULL, NULL);
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES (15, 2, 'cy-16', NULL, 1, '2026-12-02 16:01:42.02531+00', '2026-12-02 16:01:42.02531+00', '{"text": "still here", "author": "cy"}', '\x132d4e7a543a03aacec5ba77b77f4b006a33cce8b620e56e5ff66250396d8c91', NULL, NULL);
INSERT INTO yalvo.done VALUES (5, 5, 14, 1, 0, 0, '2026-11-26 20:13:21.184916+00', '2026-11-26 20:13:21.235495+00');
INSERT INTO yalvo.done VALUES (6, 5, 14, 1, 0, 0, '2026-11-26 20:13:21.202901+00', '2026-11-26 20:13:21.235722+00');
INSERT INTO yalvo.done VALUES (7, 5, 14, 1, 0, 0, '2026-11-26 20:13:21.220945+00', '2026-11-26 20:13:21.258853+00');
INSERT INTO yalvo.done VALUES (8, 5, 14, 1, 0, 0, '2026-11-26 20:13:21.258489+00', '2026-11-26 20:13:21.273842+00');
INSERT INTO yalvo.done VALUES (10, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.306214+00', '2026-11-26 20:13:21.315227+00');
INSERT INTO yalvo.done VALUES (10, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.306247+00', '2026-11-26 20:13:21.315242+00');
INSERT INTO yalvo.done VALUES (10, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.306254+00', '2026-11-26 20:13:21.315245+00');
INSERT INTO yalvo.done VALUES (10, 3, 14, 1, 0, 0, '2026-11-26 20:13:21.306325+00', '2026-11-26 20:13:21.315453+00');
INSERT INTO yalvo.done VALUES (9, 5, 14, 1, 0, 0, '2026-11-26 20:13:21.286228+00', '2026-11-26 20:13:21.319087+00');
INSERT INTO yalvo.done VALUES (10, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.31384+00', '2026-11-26 20:13:21.326927+00');
INSERT INTO yalvo.done VALUES (11, 3, 14, 1, 2, 0, '2026-11-26 20:13:21.326859+00', '2026-11-26 20:13:21.337035+00');
INSERT INTO yalvo.done VALUES (11, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.326819+00', '2026-11-26 20:13:21.341036+00');
INSERT INTO yalvo.done VALUES (11, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.326841+00', '2026-11-26 20:13:21.34105+00');
INSERT INTO yalvo.done VALUES (11, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.326845+00', '2026-11-26 20:13:21.341052+00');
INSERT INTO yalvo.done VALUES (11, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.338714+00', '2026-11-26 20:13:21.343612+00');
INSERT INTO yalvo.done VALUES (12, 3, 14, 1, 0, 0, '2026-11-26 20:13:21.351878+00', '2026-11-26 20:13:21.355773+00');
INSERT INTO yalvo.done VALUES (12, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.351835+00', '2026-11-26 20:13:21.356882+00');
INSERT INTO yalvo.done VALUES (12, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.35186+00', '2026-11-26 20:13:21.356893+00');
INSERT INTO yalvo.done VALUES (12, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.351864+00', '2026-11-26 20:13:21.356896+00');
INSERT INTO yalvo.done VALUES (12, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.355943+00', '2026-11-26 20:13:21.359296+00');
INSERT INTO yalvo.done VALUES (13, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.373019+00', '2026-11-26 20:13:21.378137+00');
INSERT INTO yalvo.done VALUES (13, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.37305+00', '2026-11-26 20:13:21.378154+00');
INSERT INTO yalvo.done VALUES (13, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.373056+00', '2026-11-26 20:13:21.378158+00');
INSERT INTO yalvo.done VALUES (13, 3, 14, 1, 0, 0, '2026-11-26 20:13:21.373071+00', '2026-11-26 20:13:21.379607+00');
INSERT INTO yalvo.done VALUES (13, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.377212+00', '2026-11-26 20:13:21.381049+00');
INSERT INTO yalvo.done VALUES (14, 3, 14, 1, 2, 0, '2026-11-26 20:13:21.394295+00', '2026-11-26 20:13:21.403732+00');
INSERT INTO yalvo.done VALUES (14, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.394239+00', '2026-11-26 20:13:21.408637+00');
INSERT INTO yalvo.done VALUES (14, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.394272+00', '2026-11-26 20:13:21.408654+00');
INSERT INTO yalvo.done VALUES (14, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.394279+00', '2026-11-26 20:13:21.408658+00');
INSERT INTO yalvo.done VALUES (14, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.407617+00', '2026-11-26 20:13:21.410734+00');
INSERT INTO yalvo.done VALUES (15, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.416009+00', '2026-11-26 20:13:21.42223+00');
INSERT INTO yalvo.done VALUES (15, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.416042+00', '2026-11-26 20:13:21.422245+00');
INSERT INTO yalvo.done VALUES (15, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.416049+00', '2026-11-26 20:13:21.422249+00');
INSERT INTO yalvo.done VALUES (15, 3, 14, 1, 0, 0, '2026-11-26 20:13:21.416066+00', '2026-11-26 20:13:21.425256+00');
INSERT INTO yalvo.done VALUES (15, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.421372+00', '2026-11-26 20:13:21.425493+00');
INSERT INTO yalvo.done VALUES (16, 3, 14, 1, 0, 0, '2026-11-26 20:13:21.437091+00', '2026-11-26 20:13:21.441845+00');
INSERT INTO yalvo.done VALUES (16, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.437033+00', '2026-11-26 20:13:21.44497+00');
INSERT INTO yalvo.done VALUES (16, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.437064+00', '2026-11-26 20:13:21.444985+00');
INSERT INTO yalvo.done VALUES (16, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.437071+00', '2026-11-26 20:13:21.444989+00');
INSERT INTO yalvo.done VALUES (16, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.444212+00', '2026-11-26 20:13:21.446641+00');
INSERT INTO yalvo.done VALUES (17, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.45805+00', '2026-11-26 20:13:21.463566+00');
INSERT INTO yalvo.done VALUES (17, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.458082+00', '2026-11-26 20:13:21.463582+00');
INSERT INTO yalvo.done VALUES (17, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.458088+00', '2026-11-26 20:13:21.463587+00');
INSERT INTO yalvo.done VALUES (17, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.462767+00', '2026-11-26 20:13:21.467025+00');
INSERT INTO yalvo.done VALUES (17, 3, 14, 1, 2, 0, '2026-11-26 20:13:21.458104+00', '2026-11-26 20:13:21.476993+00');
INSERT INTO yalvo.done VALUES (18, 3, 14, 1, 0, 0, '2026-11-26 20:13:21.479128+00', '2026-11-26 20:13:21.482193+00');
INSERT INTO yalvo.done VALUES (18, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.479069+00', '2026-11-26 20:13:21.484172+00');
INSERT INTO yalvo.done VALUES (18, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.479103+00', '2026-11-26 20:13:21.484188+00');
INSERT INTO yalvo.done VALUES (18, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.47911+00', '2026-11-26 20:13:21.484192+00');
INSERT INTO yalvo.done VALUES (18, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.483167+00', '2026-11-26 20:13:21.486773+00');
INSERT INTO yalvo.done VALUES (22, 2, 11, 1, 3, 0, '2026-11-26 20:13:21.555597+00', '2026-11-26 20:13:21.560004+00');
INSERT INTO yalvo.done VALUES (23, 1, 8, 1, 1, 0, '2026-11-26 20:13:21.579188+00', '2026-11-26 20:13:21.58423+00');
INSERT INTO yalvo.done VALUES (23, 13, 9, 1, 1, 0, '2026-11-26 20:13:21.579225+00', '2026-11-26 20:13:21.584255+00');
INSERT INTO yalvo.done VALUES (23, 13, 10, 1, 1, 0, '2026-11-26 20:13:21.57923+00', '2026-11-26 20:13:21.584259+00');
INSERT INTO yalvo.done VALUES (23, 14, 10, 1, 1, 0, '2026-11-26 20:13:21.583364+00', '2026-11-26 20:13:21.585779+00');
INSERT INTO yalvo.done VALUES (23, 4, 14, 1, 0, 0, '2026-11-26 20:13:21.579236+00', '2026-11-26 20:13:21.589833+00');
INSERT INTO yalvo.done VALUES (24, 3, 14, 1, 0, 0, '2026-12-02 04:49:21.115677+00', '2026-12-02 04:49:21.129354+00');
INSERT INTO yalvo.done VALUES (24, 1, 8, 1, 1, 0, '2026-12-02 04:49:21.113945+00', '2026-12-02 04:49:21.138687+00');
INSERT INTO yalvo.done VALUES (24, 13, 10, 1, 1, 0, '2026-12-02 04:49:21.115607+00', '2026-12-02 04:49:21.1388+00');
INSERT INTO yalvo.done VALUES (24, 14, 10, 1, 1, 0, '2026-12-02 04:49:21.132223+00', '2026-12-02 04:49:21.14647+00');
INSERT INTO yalvo.done VALUES (25, 3, 14, 1, 0, 0, '2026-12-02 16:01:42.026481+00', '2026-12-02 16:01:42.036997+00');
INSERT INTO yalvo.done VALUES (25, 1, 8, 1, 1, 0, '2026-12-02 16:01:42.026376+00', '2026-12-02 16:01:42.043038+00');
INSERT INTO yalvo.done VALUES (25, 13, 10, 1, 1, 0, '2026-12-02 16:01:42.026465+00', '2026-12-02 16:01:42.043158+00');
INSERT INTO yalvo.done VALUES (25, 14, 10, 1, 1, 0, '2026-12-02 16:01:42.036629+00', '2026-12-02 16:01:42.049516+00');
INSERT INTO yalvo.entries_0 VALUES (14, 1, 1795724001305870, 5, 1);
INSERT INTO yalvo.entries_0 VALUES (14, 1, 1795724001326600, 6, 2);
INSERT INTO yalvo.entries_0 VALUES (14, 1, 1795724001372761, 8, 1);
INSERT INTO yalvo.entries_0 VALUES (14, 1, 1795724001393912, 9, 2);
INSERT INTO yalvo.entries_0 VALUES (14, 1, 1795724001436758, 11, 1);
INSERT INTO yalvo.entries_0 VALUES (14, 1, 1795724001457786, 12, 2);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1795724001326600, 6, 2);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1795724001351497, 7, 3);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1795724001393912, 9, 2);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1795724001415657, 10, 3);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1795724001457786, 12, 2);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1796186961112243, 14, 3);
INSERT INTO yalvo.entries_1 VALUES (14, 3, 1796227302025310, 15, 3);
INSERT INTO yalvo.entries_2 VALUES (14, 2, 1795724001326600, 6, 2);
INSERT INTO yalvo.entries_2 VALUES (14, 2, 1795724001393912, 9, 2);
INSERT INTO yalvo.entries_2 VALUES (14, 2, 1795724001457786, 12, 2);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (1, 728, '2026-11-26 20:13:21.11901+00', 'created', 'people/ada', '', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (2, 729, '2026-11-26 20:13:21.136247+00', 'created', 'people/ben', '', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (3, 730, '2026-11-26 20:13:21.152349+00', 'created', 'people/cy', '', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (4, 731, '2026-11-26 20:13:21.168105+00', 'created', 'people/dora', '', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (5, 732, '2026-11-26 20:13:21.184544+00', 'set', 'follow', 'people/ben → people/ada', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (6, 734, '2026-11-26 20:13:21.202829+00', 'set', 'follow', 'people/cy → people/ada', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (7, 736, '2026-11-26 20:13:21.220809+00', 'set', 'follow', 'people/dora → people/ada', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (8, 743, '2026-11-26 20:13:21.258309+00', 'set', 'follow', 'people/ada → people/ben', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (9, 748, '2026-11-26 20:13:21.286124+00', 'set', 'follow', 'people/cy → people/ben', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (10, 750, '2026-11-26 20:13:21.306121+00', 'created', 'posts/ada-1', '', 'ada', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (11, 757, '2026-11-26 20:13:21.326727+00', 'created', 'posts/ben-1', '', 'ben', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (12, 762, '2026-11-26 20:13:21.351729+00', 'created', 'posts/cy-1', '', 'cy', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (13, 767, '2026-11-26 20:13:21.372939+00', 'created', 'posts/ada-2', '', 'ada', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (14, 772, '2026-11-26 20:13:21.394144+00', 'created', 'posts/ben-2', '', 'ben', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (15, 777, '2026-11-26 20:13:21.415915+00', 'created', 'posts/cy-2', '', 'cy', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (16, 782, '2026-11-26 20:13:21.436946+00', 'created', 'posts/ada-3', '', 'ada', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (17, 787, '2026-11-26 20:13:21.457968+00', 'created', 'posts/ben-3', '', 'ben', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (18, 792, '2026-11-26 20:13:21.478839+00', 'created', 'posts/cy-3', '', 'cy', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (19, 797, '2026-11-26 20:13:21.499268+00', 'set', 'like', 'people/ben → posts/ada-1', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (20, 799, '2026-11-26 20:13:21.514344+00', 'set', 'like', 'people/cy → posts/ada-1', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (21, 801, '2026-11-26 20:13:21.535674+00', 'set', 'like', 'people/dora → posts/ben-2', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (22, 803, '2026-11-26 20:13:21.555441+00', 'changed', 'people/ben', 'name', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (23, 805, '2026-11-26 20:13:21.573214+00', 'removed', 'posts/cy-3', '', '', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (24, 734, '2026-12-02 04:49:21.112906+00', 'created', 'posts/cy-8', '', 'cy', NULL);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES (25, 733, '2026-12-02 16:01:42.025776+00', 'created', 'posts/cy-16', '', 'cy', NULL);
INSERT INTO yalvo.kept VALUES (1, '{"given": 0, "sizes": 6, "newest": [{"id": "ada-3", "path": "posts/ada-3", "text": "ada says 3, with é and a \\ in it"}, {"id": "ada-2", "path": "posts/ada-2", "text": "ada says 2, with é and a \\ in it"}], "posts_n": 3, "followers": 3}', 1);
INSERT INTO yalvo.kept VALUES (2, '{"given": 1, "sizes": 6, "newest": [{"id": "ben-3", "path": "posts/ben-3", "text": "ben says 3, with é and a \\ in it"}, {"id": "ben-2", "path": "posts/ben-2", "text": "ben says 2, with é and a \\ in it"}], "posts_n": 3, "followers": 2}', 1);
INSERT INTO yalvo.kept VALUES (4, '{"given": 1, "sizes": 0, "newest": [], "posts_n": 0, "followers": 0}', 1);
INSERT INTO yalvo.kept VALUES (5, '{"likes": 2, "byline": {"name": "Ada"}, "signed": {"name": "Ada"}}', 2);
INSERT INTO yalvo.kept VALUES (6, '{"likes": 0, "byline": {"name": "Benno"}, "signed": {"name": "Ben"}}', 2);
INSERT INTO yalvo.kept VALUES (7, '{"likes": 0, "byline": {"name": "Cy"}, "signed": {"name": "Cy"}}', 2);
INSERT INTO yalvo.kept VALUES (8, '{"likes": 0, "byline": {"name": "Ada"}, "signed": {"name": "Ada"}}', 2);
INSERT INTO yalvo.kept VALUES (9, '{"likes": 1, "byline": {"name": "Benno"}, "signed": {"name": "Ben"}}', 2);
INSERT INTO yalvo.kept VALUES (10, '{"likes": 0, "byline": {"name": "Cy"}, "signed": {"name": "Cy"}}', 2);
INSERT INTO yalvo.kept VALUES (11, '{"likes": 0, "byline": {"name": "Ada"}, "signed": {"name": "Ada"}}', 2);
INSERT INTO yalvo.kept VALUES (12, '{"likes": 0, "byline": {"name": "Benno"}, "signed": {"name": "Ben"}}', 2);
INSERT INTO yalvo.kept VALUES (14, '{"likes": 0, "byline": {"name": "Cy"}, "signed": {"name": "Cy"}}', 2);
INSERT INTO yalvo.kept VALUES (15, '{"likes": 0, "byline": {"name": "Cy"}, "signed": {"name": "Cy"}}', 2);
INSERT INTO yalvo.kept VALUES (3, '{"given": 1, "sizes": 3, "newest": [{"id": "cy-16", "path": "posts/cy-16", "text": "still here"}, {"id": "cy-8", "path": "posts/cy-8", "text": "still here"}], "posts_n": 4, "followers": 0}', 1);
INSERT INTO yalvo.key_sessions VALUES ('\x2a0008840b6371586f31ec48aad983476a9af4a6198c76837e69f4e4c0318158', '6uldxrxren', true, '2026-11-27 06:52:51.164281+00');
INSERT INTO yalvo.metered VALUES ('2026-12-02 16:00:00+00', 'action', 'create posts', 1, 0, 1, 0, 1, 0, 0, 0);
INSERT INTO yalvo.metered VALUES ('2026-12-02 16:00:00+00', 'kept', 'people.newest', 1, 0, 0, 0, 0, 1, 0, 0);
INSERT INTO yalvo.metered VALUES ('2026-12-02 16:00:00+00', 'kept', 'people.posts_n', 1, 0, 0, 0, 0, 1, 0, 0);
INSERT INTO yalvo.metered VALUES ('2026-12-02 16:00:00+00', 'read', 'one of people', 1, 0, 1, 0, 0, 0, 0, 390);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (1, 'collection', 'people', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (2, 'collection', 'posts', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (3, 'unique', 'people.handle', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (4, 'reference', 'posts.author', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (5, 'pair', 'follow', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (6, 'pair', 'like', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (7, 'kept', 'people.followers', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (8, 'kept', 'people.posts_n', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (9, 'kept', 'people.sizes', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (10, 'kept', 'people.newest', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (11, 'kept', 'posts.byline', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (12, 'kept', 'posts.signed', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (13, 'kept', 'posts.likes', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (14, 'timeline', 'home', NULL);
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES (15, 'kept', 'people.given', NULL);
INSERT INTO yalvo.operator_keys VALUES ('li3j2t2euf', 'whoever starts it on vm', 'operate', '\xb8b92bb4496e313253027d01e3b41f5e8e80edbb8296646503660714d85923cd', '2026-11-26 23:58:57.197544+00', '2026-11-26 23:58:00+00', NULL);
INSERT INTO yalvo.operator_keys VALUES ('6uldxrxren', 'whoever starts it on vm', 'operate', '\x0a8d70c6c7656e3eb11d9c653b4a4b661d51a3059ef715c1e78a4041245485b1', '2026-11-27 05:52:51.066533+00', '2026-11-27 05:53:00+00', NULL);
INSERT INTO yalvo.operator_keys VALUES ('5gkudxyq7v', 'tests', 'operate', '\x971e322e9586b7cc385ea8657dab54ab2fa801e9578cfbdc4bbc6c714bb972ab', '2026-12-02 04:49:21.069897+00', '2026-12-02 04:49:00+00', NULL);
INSERT INTO yalvo.operator_keys VALUES ('uwkjya5azr', 'tests', 'operate', '\x7088f836129adf00520f8ffc9f8b303a57800f209a725d5c904bacd46b51f053', '2026-12-02 16:01:41.990573+00', '2026-12-02 16:01:00+00', NULL);
INSERT INTO yalvo.origins VALUES (5, 12, 1, '{"name": "Ada"}');
INSERT INTO yalvo.origins VALUES (6, 12, 2, '{"name": "Ben"}');
INSERT INTO yalvo.origins VALUES (7, 12, 3, '{"name": "Cy"}');
INSERT INTO yalvo.origins VALUES (8, 12, 1, '{"name": "Ada"}');
INSERT INTO yalvo.origins VALUES (9, 12, 2, '{"name": "Ben"}');
INSERT INTO yalvo.origins VALUES (10, 12, 3, '{"name": "Cy"}');
INSERT INTO yalvo.origins VALUES (11, 12, 1, '{"name": "Ada"}');
INSERT INTO yalvo.origins VALUES (12, 12, 2, '{"name": "Ben"}');
INSERT INTO yalvo.origins VALUES (14, 12, 3, '{"name": "Cy"}');
INSERT INTO yalvo.origins VALUES (15, 12, 3, '{"name": "Cy"}');
INSERT INTO yalvo.pairs VALUES (5, 1, 2, '2026-11-26 20:13:21.184336+00', '{"since": 7}', NULL);
INSERT INTO yalvo.pairs VALUES (5, 1, 3, '2026-11-26 20:13:21.202775+00', '{}', NULL);
INSERT INTO yalvo.pairs VALUES (5, 1, 4, '2026-11-26 20:13:21.219422+00', '{}', NULL);
INSERT INTO yalvo.pairs VALUES (5, 2, 1, '2026-11-26 20:13:21.258111+00', '{}', NULL);
INSERT INTO yalvo.pairs VALUES (5, 2, 3, '2026-11-26 20:13:21.286067+00', '{}', NULL);
INSERT INTO yalvo.pairs VALUES (6, 5, 2, '2026-11-26 20:13:21.499209+00', NULL, NULL);
INSERT INTO yalvo.pairs VALUES (6, 5, 3, '2026-11-26 20:13:21.514287+00', NULL, NULL);
INSERT INTO yalvo.pairs VALUES (6, 9, 4, '2026-11-26 20:13:21.535616+00', NULL, NULL);
INSERT INTO yalvo.posted VALUES (14, 1, 1795724001305870, 5);
INSERT INTO yalvo.posted VALUES (14, 2, 1795724001326600, 6);
INSERT INTO yalvo.posted VALUES (14, 3, 1795724001351497, 7);
INSERT INTO yalvo.posted VALUES (14, 1, 1795724001372761, 8);
INSERT INTO yalvo.posted VALUES (14, 2, 1795724001393912, 9);
INSERT INTO yalvo.posted VALUES (14, 3, 1795724001415657, 10);
INSERT INTO yalvo.posted VALUES (14, 1, 1795724001436758, 11);
INSERT INTO yalvo.posted VALUES (14, 2, 1795724001457786, 12);
INSERT INTO yalvo.posted VALUES (14, 3, 1796186961112243, 14);
INSERT INTO yalvo.posted VALUES (14, 3, 1796227302025310, 15);
INSERT INTO yalvo.refs VALUES (5, 4, 1);
INSERT INTO yalvo.refs VALUES (6, 4, 2);
INSERT INTO yalvo.refs VALUES (7, 4, 3);
INSERT INTO yalvo.refs VALUES (8, 4, 1);
INSERT INTO yalvo.refs VALUES (9, 4, 2);
INSERT INTO yalvo.refs VALUES (10, 4, 3);
INSERT INTO yalvo.refs VALUES (11, 4, 1);
INSERT INTO yalvo.refs VALUES (12, 4, 2);
INSERT INTO yalvo.refs VALUES (14, 4, 3);
INSERT INTO yalvo.refs VALUES (15, 4, 3);
INSERT INTO yalvo.rewritten VALUES (735, 3);
INSERT INTO yalvo.rewritten VALUES (738, 3);
INSERT INTO yalvo.rewritten VALUES (734, 3);
INSERT INTO yalvo.rewritten VALUES (737, 3);
INSERT INTO yalvo.rewritten_since VALUES (true, 1796227306954696, 738, 738, '2026-12-02 16:01:46.954164+00');
INSERT INTO yalvo.settings VALUES ('cursor_key', 'fbcf5f0265f02396507669d6d5507b48b14103cc07308d8d8c5d9256630e4a98');
INSERT INTO yalvo.settings VALUES ('token_key', '5f22ed7e08f944398954d1c9ead0139741aeeb62ebd64df3a9b240d679ede24d');
INSERT INTO yalvo.settings VALUES ('schema', '16');
INSERT INTO yalvo.uniques VALUES (3, 'ada', 1);
INSERT INTO yalvo.uniques VALUES (3, 'ben', 2);
INSERT INTO yalvo.uniques VALUES (3, 'cy', 3);
INSERT INTO yalvo.uniques VALUES (3, 'dora', 4);
SELECT pg_catalog.setval('yalvo.audits_id_seq', 1, true);
SELECT pg_catalog.setval('yalvo.brought_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.documents_n_seq', 15, true);
SELECT pg_catalog.setval('yalvo.drift_seq_seq', 1, false);
SELECT pg_catalog.setval('yalvo.due_seq_seq', 74, true);
SELECT pg_catalog.setval('yalvo.events_n_seq', 1, false);
SELECT pg_catalog.setval('yalvo.forgotten_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.journal_seq_seq', 25, true);
SELECT pg_catalog.setval('yalvo.numbers_n_seq', 15, true);
ALTER TABLE ONLY yalvo.answered
    ADD CONSTRAINT answered_pkey PRIMARY KEY (account, key);
ALTER TABLE ONLY yalvo.audits
    ADD CONSTRAINT audits_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.brought
    ADD CONSTRAINT brought_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.builds
    ADD CONSTRAINT builds_pkey PRIMARY KEY (version, nth);
ALTER TABLE ONLY yalvo.contributions
    ADD CONSTRAINT contributions_pkey PRIMARY KEY (summary, source, target);
ALTER TABLE ONLY yalvo.cuts
    ADD CONSTRAINT cuts_pkey PRIMARY KEY (timeline, owner);
ALTER TABLE ONLY yalvo.delivery_modes
    ADD CONSTRAINT delivery_modes_pkey PRIMARY KEY (timeline, author);
ALTER TABLE ONLY yalvo.departed
    ADD CONSTRAINT departed_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.designs
    ADD CONSTRAINT designs_pkey PRIMARY KEY (version);
ALTER TABLE ONLY yalvo.documents
    ADD CONSTRAINT documents_collection_key_key UNIQUE (collection, key);
ALTER TABLE ONLY yalvo.documents
    ADD CONSTRAINT documents_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.drift
    ADD CONSTRAINT drift_pkey PRIMARY KEY (audit, seq);
ALTER TABLE ONLY yalvo.due
    ADD CONSTRAINT due_pkey PRIMARY KEY (lane, change, seq);
ALTER TABLE ONLY yalvo.entries
    ADD CONSTRAINT entries_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_0
    ADD CONSTRAINT entries_0_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_1
    ADD CONSTRAINT entries_1_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_2
    ADD CONSTRAINT entries_2_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_3
    ADD CONSTRAINT entries_3_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_4
    ADD CONSTRAINT entries_4_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_5
    ADD CONSTRAINT entries_5_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_6
    ADD CONSTRAINT entries_6_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.entries_7
    ADD CONSTRAINT entries_7_pkey PRIMARY KEY (timeline, owner, rank, doc);
ALTER TABLE ONLY yalvo.events
    ADD CONSTRAINT events_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.familiar
    ADD CONSTRAINT familiar_pkey PRIMARY KEY (account, place);
ALTER TABLE ONLY yalvo.forgotten_documents
    ADD CONSTRAINT forgotten_documents_pkey PRIMARY KEY (forgotten, n);
ALTER TABLE ONLY yalvo.forgotten
    ADD CONSTRAINT forgotten_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.given_later
    ADD CONSTRAINT given_later_pkey PRIMARY KEY (source, copy);
ALTER TABLE ONLY yalvo.guesses
    ADD CONSTRAINT guesses_pkey PRIMARY KEY (bucket);
ALTER TABLE ONLY yalvo.journal
    ADD CONSTRAINT journal_pkey PRIMARY KEY (seq);
ALTER TABLE ONLY yalvo.kept
    ADD CONSTRAINT kept_pkey PRIMARY KEY (doc);
ALTER TABLE ONLY yalvo.key_sessions
    ADD CONSTRAINT key_sessions_pkey PRIMARY KEY (hash);
ALTER TABLE ONLY yalvo.metered
    ADD CONSTRAINT metered_pkey PRIMARY KEY (hour, kind, name);
ALTER TABLE ONLY yalvo.misfits
    ADD CONSTRAINT misfits_pkey PRIMARY KEY (subject, field, code, doc, other, pointer);
ALTER TABLE ONLY yalvo.numbers
    ADD CONSTRAINT numbers_kind_name_key UNIQUE (kind, name);
ALTER TABLE ONLY yalvo.numbers
    ADD CONSTRAINT numbers_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.operator_keys
    ADD CONSTRAINT operator_keys_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.origins
    ADD CONSTRAINT origins_pkey PRIMARY KEY (source, copy);
ALTER TABLE ONLY yalvo.pairs
    ADD CONSTRAINT pairs_pkey PRIMARY KEY (kind, b, a);
ALTER TABLE ONLY yalvo.parked
    ADD CONSTRAINT parked_pkey PRIMARY KEY (seq);
ALTER TABLE ONLY yalvo.passwords
    ADD CONSTRAINT passwords_pkey PRIMARY KEY (account);
ALTER TABLE ONLY yalvo.picture_refs
    ADD CONSTRAINT picture_refs_pkey PRIMARY KEY (picture, doc);
ALTER TABLE ONLY yalvo.picture_uploads
    ADD CONSTRAINT picture_uploads_pkey PRIMARY KEY (account, picture);
ALTER TABLE ONLY yalvo.pictures
    ADD CONSTRAINT pictures_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.posted
    ADD CONSTRAINT posted_pkey PRIMARY KEY (timeline, author, rank, doc);
ALTER TABLE ONLY yalvo.refs
    ADD CONSTRAINT refs_pkey PRIMARY KEY (source, reference);
ALTER TABLE ONLY yalvo.rewritten_since
    ADD CONSTRAINT rewritten_since_pkey PRIMARY KEY (one);
ALTER TABLE ONLY yalvo.settings
    ADD CONSTRAINT settings_pkey PRIMARY KEY (name);
ALTER TABLE ONLY yalvo.sign_ins
    ADD CONSTRAINT sign_ins_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.uniques
    ADD CONSTRAINT uniques_pkey PRIMARY KEY (field, value);
CREATE INDEX answered_when ON yalvo.answered USING btree (answered);
CREATE INDEX audits_running ON yalvo.audits USING btree (id) WHERE (state = 'running'::text);
CREATE INDEX builds_left ON yalvo.builds USING btree (version, nth) WHERE (ended IS NULL);
CREATE INDEX contributions_to ON yalvo.contributions USING btree (summary, target, value, source);
CREATE INDEX departed_named ON yalvo.departed USING btree (collection, key);
CREATE INDEX departed_of ON yalvo.departed USING gin (of);
CREATE INDEX departed_when ON yalvo.departed USING btree (at);
CREATE INDEX documents_nested ON yalvo.documents USING btree (parent, collection, key) WHERE (parent IS NOT NULL);
CREATE INDEX done_change ON yalvo.done USING btree (change);
CREATE INDEX drift_in ON yalvo.drift USING btree (audit, aspect, name, doc);
CREATE INDEX due_by_author ON yalvo.due USING btree (step, subject, key, seq) WHERE (lane = 3);
CREATE INDEX due_long ON yalvo.due USING btree (seq) WHERE ((lane = 3) AND (cursor > 0) AND (step = ANY (ARRAY[3, 4])));
CREATE INDEX events_by ON yalvo.events USING btree (trigger, change);
CREATE INDEX events_when ON yalvo.events USING btree (at);
CREATE INDEX journal_about ON yalvo.journal USING btree (hashtextextended(
CASE
    WHEN (POSITION(('/'::text) IN (subject)) > 0) THEN subject
    ELSE detail
END, (0)::bigint));
CREATE INDEX journal_cause ON yalvo.journal USING btree (cause, seq) WHERE (cause IS NOT NULL);
CREATE INDEX journal_xid ON yalvo.journal USING brin (xid) WITH (pages_per_range='16', autosummarize='on');
CREATE INDEX list_1aebd7d68dde9dc3fb570966 ON yalvo.documents USING btree (created DESC, n DESC) WHERE ((collection = 2) AND (n > 0));
CREATE INDEX list_9d8f481f8deb2be53b841ae6 ON yalvo.documents USING btree (COALESCE(
CASE
    WHEN (octet_length((fields ->> 'size'::text)) <= 1100) THEN (fields -> 'size'::text)
    ELSE NULL::jsonb
END, 'null'::jsonb) DESC, n DESC) WHERE ((collection = 2) AND (n > 0));
CREATE INDEX list_cffa2884ecef50e873c3e348 ON yalvo.kept USING btree (COALESCE(
CASE
    WHEN (octet_length(("values" ->> 'likes'::text)) <= 1100) THEN ("values" -> 'likes'::text)
    ELSE NULL::jsonb
END, 'null'::jsonb) DESC, doc DESC) WHERE ((collection = 2) AND (doc > 0));
CREATE INDEX misfits_of ON yalvo.misfits USING btree (doc);
CREATE INDEX origins_of ON yalvo.origins USING btree (copy, target);
CREATE INDEX pairs_from ON yalvo.pairs USING btree (kind, a, at DESC, b DESC) WHERE (at > '-infinity'::timestamp with time zone);
CREATE INDEX pairs_to ON yalvo.pairs USING btree (kind, b, at DESC, a DESC) WHERE (at > '-infinity'::timestamp with time zone);
CREATE INDEX parked_change ON yalvo.parked USING btree (change);
CREATE INDEX picture_refs_of ON yalvo.picture_refs USING btree (doc);
CREATE INDEX picture_uploads_of ON yalvo.picture_uploads USING btree (picture);
CREATE INDEX picture_uploads_old ON yalvo.picture_uploads USING btree (uploaded);
CREATE INDEX refs_pointing ON yalvo.refs USING btree (reference, target, source);
CREATE INDEX rewritten_by ON yalvo.rewritten USING btree (xid, doc);
CREATE INDEX sign_ins_of ON yalvo.sign_ins USING btree (account);
CREATE INDEX uniques_of ON yalvo.uniques USING btree (doc);
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_0_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_1_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_2_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_3_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_4_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_5_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_6_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_7_pkey;
CREATE TRIGGER kept_collection BEFORE INSERT ON yalvo.kept FOR EACH ROW WHEN ((new.collection = 0)) EXECUTE FUNCTION yalvo.kept_collection();
ALTER TABLE yalvo.kept ENABLE ALWAYS TRIGGER kept_collection;
CREATE TRIGGER pictures_changed AFTER UPDATE OF fields ON yalvo.documents FOR EACH ROW WHEN (((old.fields <> new.fields) AND (((old.fields)::text ~~ '%"pictures/%'::text) OR ((new.fields)::text ~~ '%"pictures/%'::text)))) EXECUTE FUNCTION yalvo.note_pictures();
CREATE TRIGGER pictures_created AFTER INSERT ON yalvo.documents FOR EACH ROW WHEN (((new.fields)::text ~~ '%"pictures/%'::text)) EXECUTE FUNCTION yalvo.note_pictures();
CREATE TRIGGER pictures_removed AFTER DELETE ON yalvo.documents FOR EACH ROW WHEN (((old.fields)::text ~~ '%"pictures/%'::text)) EXECUTE FUNCTION yalvo.note_pictures();
CREATE TRIGGER rewritten_changed AFTER UPDATE ON yalvo.documents REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_rewritten();
ALTER TABLE yalvo.documents ENABLE ALWAYS TRIGGER rewritten_changed;
CREATE TRIGGER rewritten_changed AFTER UPDATE ON yalvo.kept REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_rewritten();
ALTER TABLE yalvo.kept ENABLE ALWAYS TRIGGER rewritten_changed;
CREATE TRIGGER rewritten_removed AFTER DELETE ON yalvo.documents REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_rewritten();
ALTER TABLE yalvo.documents ENABLE ALWAYS TRIGGER rewritten_removed;
CREATE TRIGGER rewritten_removed AFTER DELETE ON yalvo.kept REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_rewritten();
ALTER TABLE yalvo.kept ENABLE ALWAYS TRIGGER rewritten_removed;
CREATE TRIGGER rewritten_truncated AFTER TRUNCATE ON yalvo.documents FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_truncated();
ALTER TABLE yalvo.documents ENABLE ALWAYS TRIGGER rewritten_truncated;
CREATE TRIGGER rewritten_truncated AFTER TRUNCATE ON yalvo.kept FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_truncated();
ALTER TABLE yalvo.kept ENABLE ALWAYS TRIGGER rewritten_truncated;
CREATE TRIGGER rewritten_truncated AFTER TRUNCATE ON yalvo.rewritten FOR EACH STATEMENT EXECUTE FUNCTION yalvo.note_truncated();
ALTER TABLE yalvo.rewritten ENABLE ALWAYS TRIGGER rewritten_truncated;
ALTER TABLE ONLY yalvo.key_sessions
    ADD CONSTRAINT key_sessions_key_fkey FOREIGN KEY (key) REFERENCES yalvo.operator_keys(id) ON DELETE CASCADE;
ALTER TABLE ONLY yalvo.picture_refs
    ADD CONSTRAINT picture_refs_picture_fkey FOREIGN KEY (picture) REFERENCES yalvo.pictures(id);
ALTER TABLE ONLY yalvo.picture_uploads
    ADD CONSTRAINT picture_uploads_picture_fkey FOREIGN KEY (picture) REFERENCES yalvo.pictures(id) ON DELETE CASCADE;
