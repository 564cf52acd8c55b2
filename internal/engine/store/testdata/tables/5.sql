CREATE SCHEMA yalvo;
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
    error text DEFAULT ''::text NOT NULL
);
ALTER TABLE yalvo.audits ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.audits_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
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
    key text NOT NULL
);
CREATE TABLE yalvo.designs (
    version integer NOT NULL,
    applied timestamp with time zone DEFAULT now() NOT NULL,
    file text NOT NULL,
    source text NOT NULL
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
    made_from bytea
);
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
    "values" jsonb NOT NULL
)
WITH (fillfactor='80');
CREATE TABLE yalvo.numbers (
    n smallint NOT NULL,
    kind text NOT NULL,
    name text NOT NULL
);
ALTER TABLE yalvo.numbers ALTER COLUMN n ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.numbers_n_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
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
    fields jsonb
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
CREATE TABLE yalvo.settings (
    name text NOT NULL,
    value text NOT NULL
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
INSERT INTO yalvo.contributions VALUES
	(9, 5, 1, 1),
	(10, 5, 1, 1795686550544162),
	(9, 6, 2, 1),
	(10, 6, 2, 1795686550558300),
	(9, 7, 3, 1),
	(10, 7, 3, 1795686550573387),
	(9, 8, 1, 2),
	(10, 8, 1, 1795686550586450),
	(9, 9, 2, 2),
	(10, 9, 2, 1795686550601479),
	(9, 10, 3, 2),
	(10, 10, 3, 1795686550617858),
	(9, 11, 1, 3),
	(10, 11, 1, 1795686550632368),
	(9, 12, 2, 3),
	(10, 12, 2, 1795686550645168);
INSERT INTO yalvo.delivery_modes VALUES
	(14, 1, false, true);
INSERT INTO yalvo.departed VALUES
	(13, 'cy-3');
INSERT INTO yalvo.designs VALUES
	(1, '2026-11-26 09:49:10.361951+00', 'd2.yaml', 'yalvo: 1
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
');
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES
	(1, 1, 'ada', NULL, 1, '2026-11-26 09:49:10.389677+00', '2026-11-26 09:49:10.389677+00', '{"name": "Ada", "handle": "ada"}', '\xdd0839e7c3782fccdb4a68caa3aeba5a14795cf84c70936ebefa97c5994a63f5'),
	(3, 1, 'cy', NULL, 1, '2026-11-26 09:49:10.412405+00', '2026-11-26 09:49:10.412405+00', '{"name": "Cy", "handle": "cy"}', '\x81bc3588b08c01e3b4e3f5d3b5308af9fffd6cf0c0de22644eba92b5f5126aa0'),
	(4, 1, 'dora', NULL, 1, '2026-11-26 09:49:10.42543+00', '2026-11-26 09:49:10.42543+00', '{"name": "Dora", "handle": "dora"}', '\x54ee63e20afdd64fdf28b6fad562b2d592820cc2fc5d57cfb3676fb44dda97fc'),
	(5, 2, 'ada-1', NULL, 1, '2026-11-26 09:49:10.544162+00', '2026-11-26 09:49:10.544162+00', '{"size": 1, "text": "ada says 1, with é and a \\ in it", "author": "ada"}', '\x15a402d8038d80cb035edaa445ae74c844c33980961f2c4ae5a1d60e79d18373'),
	(6, 2, 'ben-1', NULL, 1, '2026-11-26 09:49:10.5583+00', '2026-11-26 09:49:10.5583+00', '{"size": 1, "text": "ben says 1, with é and a \\ in it", "author": "ben"}', '\x32228039af5206c7be75b591d142c84217b206fb98545c86e4c2ae005d334467'),
	(7, 2, 'cy-1', NULL, 1, '2026-11-26 09:49:10.573387+00', '2026-11-26 09:49:10.573387+00', '{"size": 1, "text": "cy says 1, with é and a \\ in it", "author": "cy"}', '\x520d662e5df13be4e7408d3acd75d3f1e692a22efe45b2ad2a334be632a9b567'),
	(8, 2, 'ada-2', NULL, 1, '2026-11-26 09:49:10.58645+00', '2026-11-26 09:49:10.58645+00', '{"size": 2, "text": "ada says 2, with é and a \\ in it", "author": "ada"}', '\x4fc3ced7e4faa78df0cac7d8a235f61cd8dc495c070dd82946929b6352ee0045'),
	(9, 2, 'ben-2', NULL, 1, '2026-11-26 09:49:10.601479+00', '2026-11-26 09:49:10.601479+00', '{"size": 2, "text": "ben says 2, with é and a \\ in it", "author": "ben"}', '\xd7f686fffffd40280d98f90af579eabfbc95f2f767fd505cb145fe868accbd67'),
	(10, 2, 'cy-2', NULL, 1, '2026-11-26 09:49:10.617858+00', '2026-11-26 09:49:10.617858+00', '{"size": 2, "text": "cy says 2, with é and a \\ in it", "author": "cy"}', '\xa3c840132511f9d0d9f23284ff7b04ccc691785e2166d8107bca6c2d50e57f16'),
	(11, 2, 'ada-3', NULL, 1, '2026-11-26 09:49:10.632368+00', '2026-11-26 09:49:10.632368+00', '{"size": 3, "text": "ada says 3, with é and a \\ in it", "author": "ada"}', '\x4ef200e27c823119f8dbe9110d13d13a0f664d27cedf3f8a80898c19f8e117e9'),
	(12, 2, 'ben-3', NULL, 1, '2026-11-26 09:49:10.645168+00', '2026-11-26 09:49:10.645168+00', '{"size": 3, "text": "ben says 3, with é and a \\ in it", "author": "ben"}', '\xf68725b8a711c00dcb9103e3736681f0959844413427ae6fd575e174b8f65289'),
	(2, 1, 'ben', NULL, 2, '2026-11-26 09:49:10.401729+00', '2026-11-26 09:49:10.705336+00', '{"name": "Benno", "handle": "ben"}', '\xa784fe48d7fe1240db94f65b566be40e5d2e5e3a52128e49adf8d2bc44cb80db');
INSERT INTO yalvo.done VALUES
	(5, 5, 14, 1, 0, 0, '2026-11-26 09:49:10.437946+00', '2026-11-26 09:49:10.473683+00'),
	(6, 5, 14, 1, 0, 0, '2026-11-26 09:49:10.454916+00', '2026-11-26 09:49:10.473914+00'),
	(7, 5, 14, 1, 0, 0, '2026-11-26 09:49:10.475989+00', '2026-11-26 09:49:10.502393+00'),
	(8, 5, 14, 1, 0, 0, '2026-11-26 09:49:10.503584+00', '2026-11-26 09:49:10.52246+00'),
	(9, 5, 14, 1, 0, 0, '2026-11-26 09:49:10.521927+00', '2026-11-26 09:49:10.531032+00'),
	(10, 3, 14, 1, 0, 0, '2026-11-26 09:49:10.544498+00', '2026-11-26 09:49:10.549644+00'),
	(10, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.544421+00', '2026-11-26 09:49:10.554967+00'),
	(10, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.544443+00', '2026-11-26 09:49:10.555076+00'),
	(10, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.544448+00', '2026-11-26 09:49:10.55508+00'),
	(11, 3, 14, 1, 2, 0, '2026-11-26 09:49:10.55853+00', '2026-11-26 09:49:10.564065+00'),
	(10, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.55295+00', '2026-11-26 09:49:10.564124+00'),
	(11, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.558496+00', '2026-11-26 09:49:10.565979+00'),
	(11, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.558515+00', '2026-11-26 09:49:10.565994+00'),
	(11, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.558519+00', '2026-11-26 09:49:10.565997+00'),
	(11, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.565085+00', '2026-11-26 09:49:10.568196+00'),
	(12, 3, 14, 1, 0, 0, '2026-11-26 09:49:10.57363+00', '2026-11-26 09:49:10.576683+00'),
	(12, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.573594+00', '2026-11-26 09:49:10.577322+00'),
	(12, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.573615+00', '2026-11-26 09:49:10.577333+00'),
	(12, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.57362+00', '2026-11-26 09:49:10.577337+00'),
	(12, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.576821+00', '2026-11-26 09:49:10.579333+00'),
	(13, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.586658+00', '2026-11-26 09:49:10.591982+00'),
	(13, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.58668+00', '2026-11-26 09:49:10.591997+00'),
	(13, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.586684+00', '2026-11-26 09:49:10.592001+00'),
	(13, 3, 14, 1, 0, 0, '2026-11-26 09:49:10.586695+00', '2026-11-26 09:49:10.593536+00'),
	(13, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.591021+00', '2026-11-26 09:49:10.600478+00'),
	(14, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.601675+00', '2026-11-26 09:49:10.608977+00'),
	(14, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.601695+00', '2026-11-26 09:49:10.608992+00'),
	(14, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.6017+00', '2026-11-26 09:49:10.608995+00'),
	(14, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.607297+00', '2026-11-26 09:49:10.610264+00'),
	(14, 3, 14, 1, 2, 0, '2026-11-26 09:49:10.601711+00', '2026-11-26 09:49:10.613475+00'),
	(15, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.618113+00', '2026-11-26 09:49:10.62119+00'),
	(15, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.618135+00', '2026-11-26 09:49:10.621202+00'),
	(15, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.61814+00', '2026-11-26 09:49:10.621204+00'),
	(15, 3, 14, 1, 0, 0, '2026-11-26 09:49:10.618152+00', '2026-11-26 09:49:10.622649+00'),
	(15, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.620412+00', '2026-11-26 09:49:10.62314+00'),
	(16, 3, 14, 1, 0, 0, '2026-11-26 09:49:10.632603+00', '2026-11-26 09:49:10.635596+00'),
	(16, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.632565+00', '2026-11-26 09:49:10.637032+00'),
	(16, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.632587+00', '2026-11-26 09:49:10.637043+00'),
	(16, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.632591+00', '2026-11-26 09:49:10.637046+00'),
	(16, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.63649+00', '2026-11-26 09:49:10.638432+00'),
	(17, 3, 14, 1, 2, 0, '2026-11-26 09:49:10.645398+00', '2026-11-26 09:49:10.649237+00'),
	(17, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.645361+00', '2026-11-26 09:49:10.650402+00'),
	(17, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.645383+00', '2026-11-26 09:49:10.650413+00'),
	(17, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.645387+00', '2026-11-26 09:49:10.650416+00'),
	(17, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.649721+00', '2026-11-26 09:49:10.654185+00'),
	(18, 3, 14, 1, 0, 0, '2026-11-26 09:49:10.659399+00', '2026-11-26 09:49:10.662299+00'),
	(18, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.659363+00', '2026-11-26 09:49:10.664208+00'),
	(18, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.659383+00', '2026-11-26 09:49:10.664219+00'),
	(18, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.659388+00', '2026-11-26 09:49:10.664222+00'),
	(18, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.663795+00', '2026-11-26 09:49:10.666434+00'),
	(22, 2, 11, 1, 3, 0, '2026-11-26 09:49:10.706401+00', '2026-11-26 09:49:10.710002+00'),
	(23, 1, 8, 1, 1, 0, '2026-11-26 09:49:10.737302+00', '2026-11-26 09:49:10.742779+00'),
	(23, 13, 9, 1, 1, 0, '2026-11-26 09:49:10.737327+00', '2026-11-26 09:49:10.742793+00'),
	(23, 13, 10, 1, 1, 0, '2026-11-26 09:49:10.737331+00', '2026-11-26 09:49:10.742795+00'),
	(23, 14, 10, 1, 1, 0, '2026-11-26 09:49:10.742288+00', '2026-11-26 09:49:10.744195+00'),
	(23, 4, 14, 1, 0, 0, '2026-11-26 09:49:10.737334+00', '2026-11-26 09:49:10.758444+00'),
	(24, 5, 14, 1, 3, 0, '2026-11-26 09:49:10.748808+00', '2026-11-26 09:49:10.763493+00');
INSERT INTO yalvo.entries_0 VALUES
	(14, 1, 1795686550544162, 5, 1),
	(14, 1, 1795686550558300, 6, 2),
	(14, 1, 1795686550586450, 8, 1),
	(14, 1, 1795686550601479, 9, 2),
	(14, 1, 1795686550632368, 11, 1),
	(14, 1, 1795686550645168, 12, 2);
INSERT INTO yalvo.entries_1 VALUES
	(14, 3, 1795686550573387, 7, 3),
	(14, 3, 1795686550617858, 10, 3);
INSERT INTO yalvo.entries_2 VALUES
	(14, 2, 1795686550558300, 6, 2),
	(14, 2, 1795686550601479, 9, 2),
	(14, 2, 1795686550645168, 12, 2);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES
	(1, 729, '2026-11-26 09:49:10.390156+00', 'created', 'people/ada', '', '', NULL),
	(2, 730, '2026-11-26 09:49:10.401882+00', 'created', 'people/ben', '', '', NULL),
	(3, 731, '2026-11-26 09:49:10.412523+00', 'created', 'people/cy', '', '', NULL),
	(4, 732, '2026-11-26 09:49:10.425531+00', 'created', 'people/dora', '', '', NULL),
	(5, 733, '2026-11-26 09:49:10.437724+00', 'set', 'follow', 'people/ben → people/ada', '', NULL),
	(6, 735, '2026-11-26 09:49:10.454766+00', 'set', 'follow', 'people/cy → people/ada', '', NULL),
	(7, 739, '2026-11-26 09:49:10.475895+00', 'set', 'follow', 'people/dora → people/ada', '', NULL),
	(8, 744, '2026-11-26 09:49:10.503487+00', 'set', 'follow', 'people/ada → people/ben', '', NULL),
	(9, 747, '2026-11-26 09:49:10.521832+00', 'set', 'follow', 'people/cy → people/ben', '', NULL),
	(10, 753, '2026-11-26 09:49:10.544364+00', 'created', 'posts/ada-1', '', 'ada', NULL),
	(11, 758, '2026-11-26 09:49:10.558439+00', 'created', 'posts/ben-1', '', 'ben', NULL),
	(12, 763, '2026-11-26 09:49:10.573533+00', 'created', 'posts/cy-1', '', 'cy', NULL),
	(13, 768, '2026-11-26 09:49:10.5866+00', 'created', 'posts/ada-2', '', 'ada', NULL),
	(14, 773, '2026-11-26 09:49:10.601619+00', 'created', 'posts/ben-2', '', 'ben', NULL),
	(15, 778, '2026-11-26 09:49:10.618015+00', 'created', 'posts/cy-2', '', 'cy', NULL),
	(16, 783, '2026-11-26 09:49:10.632507+00', 'created', 'posts/ada-3', '', 'ada', NULL),
	(17, 788, '2026-11-26 09:49:10.645303+00', 'created', 'posts/ben-3', '', 'ben', NULL),
	(18, 793, '2026-11-26 09:49:10.659304+00', 'created', 'posts/cy-3', '', 'cy', NULL),
	(19, 798, '2026-11-26 09:49:10.672872+00', 'set', 'like', 'people/ben → posts/ada-1', '', NULL),
	(20, 800, '2026-11-26 09:49:10.683031+00', 'set', 'like', 'people/cy → posts/ada-1', '', NULL),
	(21, 802, '2026-11-26 09:49:10.693439+00', 'set', 'like', 'people/dora → posts/ben-2', '', NULL),
	(22, 804, '2026-11-26 09:49:10.70631+00', 'changed', 'people/ben', 'name', '', NULL),
	(23, 806, '2026-11-26 09:49:10.73412+00', 'removed', 'posts/cy-3', '', '', NULL),
	(24, 809, '2026-11-26 09:49:10.748719+00', 'unset', 'follow', 'people/cy → people/ben', '', NULL);
INSERT INTO yalvo.kept VALUES
	(4, '{"sizes": 0, "newest": [], "posts_n": 0, "followers": 0}'),
	(5, '{"likes": 2, "byline": {"name": "Ada"}, "signed": {"name": "Ada"}}'),
	(6, '{"likes": 0, "byline": {"name": "Benno"}, "signed": {"name": "Ben"}}'),
	(9, '{"likes": 1, "byline": {"name": "Benno"}, "signed": {"name": "Ben"}}'),
	(12, '{"likes": 0, "byline": {"name": "Benno"}, "signed": {"name": "Ben"}}'),
	(3, '{"sizes": 3, "newest": [{"id": "cy-2", "path": "posts/cy-2", "text": "cy says 2, with é and a \\ in it"}, {"id": "cy-1", "path": "posts/cy-1", "text": "cy says 1, with é and a \\ in it"}], "posts_n": 2, "followers": 0}'),
	(7, '{"likes": 0, "byline": {"name": "Cy"}, "signed": {"name": "Cy"}}'),
	(2, '{"sizes": 6, "newest": [{"id": "ben-3", "path": "posts/ben-3", "text": "ben says 3, with é and a \\ in it"}, {"id": "ben-2", "path": "posts/ben-2", "text": "ben says 2, with é and a \\ in it"}], "posts_n": 3, "followers": 1}'),
	(8, '{"likes": 0, "byline": {"name": "Ada"}, "signed": {"name": "Ada"}}'),
	(10, '{"likes": 0, "byline": {"name": "Cy"}, "signed": {"name": "Cy"}}'),
	(11, '{"likes": 0, "byline": {"name": "Ada"}, "signed": {"name": "Ada"}}'),
	(1, '{"sizes": 6, "newest": [{"id": "ada-3", "path": "posts/ada-3", "text": "ada says 3, with é and a \\ in it"}, {"id": "ada-2", "path": "posts/ada-2", "text": "ada says 2, with é and a \\ in it"}], "posts_n": 3, "followers": 3}');
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES
	(1, 'collection', 'people'),
	(2, 'collection', 'posts'),
	(3, 'unique', 'people.handle'),
	(4, 'reference', 'posts.author'),
	(5, 'pair', 'follow'),
	(6, 'pair', 'like'),
	(7, 'kept', 'people.followers'),
	(8, 'kept', 'people.posts_n'),
	(9, 'kept', 'people.sizes'),
	(10, 'kept', 'people.newest'),
	(11, 'kept', 'posts.byline'),
	(12, 'kept', 'posts.signed'),
	(13, 'kept', 'posts.likes'),
	(14, 'timeline', 'home');
INSERT INTO yalvo.origins VALUES
	(5, 12, 1, '{"name": "Ada"}'),
	(6, 12, 2, '{"name": "Ben"}'),
	(7, 12, 3, '{"name": "Cy"}'),
	(8, 12, 1, '{"name": "Ada"}'),
	(9, 12, 2, '{"name": "Ben"}'),
	(10, 12, 3, '{"name": "Cy"}'),
	(11, 12, 1, '{"name": "Ada"}'),
	(12, 12, 2, '{"name": "Ben"}');
INSERT INTO yalvo.pairs VALUES
	(5, 1, 2, '2026-11-26 09:49:10.437473+00', '{}'),
	(5, 1, 3, '2026-11-26 09:49:10.454711+00', '{}'),
	(5, 1, 4, '2026-11-26 09:49:10.475842+00', '{}'),
	(5, 2, 1, '2026-11-26 09:49:10.503432+00', '{}'),
	(6, 5, 2, '2026-11-26 09:49:10.672825+00', NULL),
	(6, 5, 3, '2026-11-26 09:49:10.682985+00', NULL),
	(6, 9, 4, '2026-11-26 09:49:10.693395+00', NULL);
INSERT INTO yalvo.posted VALUES
	(14, 1, 1795686550544162, 5),
	(14, 2, 1795686550558300, 6),
	(14, 3, 1795686550573387, 7),
	(14, 1, 1795686550586450, 8),
	(14, 2, 1795686550601479, 9),
	(14, 3, 1795686550617858, 10),
	(14, 1, 1795686550632368, 11),
	(14, 2, 1795686550645168, 12);
INSERT INTO yalvo.refs VALUES
	(5, 4, 1),
	(6, 4, 2),
	(7, 4, 3),
	(8, 4, 1),
	(9, 4, 2),
	(10, 4, 3),
	(11, 4, 1),
	(12, 4, 2);
INSERT INTO yalvo.settings VALUES
	('schema', '5'),
	('cursor_key', '4ac6cbd89449630047a2455af55990d179a0495928525492d68e2c29b4f9928e');
INSERT INTO yalvo.uniques VALUES
	(3, 'ada', 1),
	(3, 'ben', 2),
	(3, 'cy', 3),
	(3, 'dora', 4);
SELECT pg_catalog.setval('yalvo.audits_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.documents_n_seq', 13, true);
SELECT pg_catalog.setval('yalvo.drift_seq_seq', 1, false);
SELECT pg_catalog.setval('yalvo.due_seq_seq', 68, true);
SELECT pg_catalog.setval('yalvo.events_n_seq', 1, false);
SELECT pg_catalog.setval('yalvo.forgotten_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.journal_seq_seq', 24, true);
SELECT pg_catalog.setval('yalvo.numbers_n_seq', 14, true);
ALTER TABLE ONLY yalvo.answered
    ADD CONSTRAINT answered_pkey PRIMARY KEY (account, key);
ALTER TABLE ONLY yalvo.audits
    ADD CONSTRAINT audits_pkey PRIMARY KEY (id);
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
ALTER TABLE ONLY yalvo.forgotten_documents
    ADD CONSTRAINT forgotten_documents_pkey PRIMARY KEY (forgotten, n);
ALTER TABLE ONLY yalvo.forgotten
    ADD CONSTRAINT forgotten_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.journal
    ADD CONSTRAINT journal_pkey PRIMARY KEY (seq);
ALTER TABLE ONLY yalvo.kept
    ADD CONSTRAINT kept_pkey PRIMARY KEY (doc);
ALTER TABLE ONLY yalvo.numbers
    ADD CONSTRAINT numbers_kind_name_key UNIQUE (kind, name);
ALTER TABLE ONLY yalvo.numbers
    ADD CONSTRAINT numbers_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.origins
    ADD CONSTRAINT origins_pkey PRIMARY KEY (source, copy);
ALTER TABLE ONLY yalvo.pairs
    ADD CONSTRAINT pairs_pkey PRIMARY KEY (kind, b, a);
ALTER TABLE ONLY yalvo.parked
    ADD CONSTRAINT parked_pkey PRIMARY KEY (seq);
ALTER TABLE ONLY yalvo.posted
    ADD CONSTRAINT posted_pkey PRIMARY KEY (timeline, author, rank, doc);
ALTER TABLE ONLY yalvo.refs
    ADD CONSTRAINT refs_pkey PRIMARY KEY (source, reference);
ALTER TABLE ONLY yalvo.settings
    ADD CONSTRAINT settings_pkey PRIMARY KEY (name);
ALTER TABLE ONLY yalvo.uniques
    ADD CONSTRAINT uniques_pkey PRIMARY KEY (field, value);
CREATE INDEX answered_when ON yalvo.answered USING btree (answered);
CREATE INDEX audits_running ON yalvo.audits USING btree (id) WHERE (state = 'running'::text);
CREATE INDEX contributions_to ON yalvo.contributions USING btree (summary, target, value, source);
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
CREATE INDEX origins_of ON yalvo.origins USING btree (copy, target);
CREATE INDEX pairs_from ON yalvo.pairs USING btree (kind, a, at DESC, b DESC);
CREATE INDEX pairs_to ON yalvo.pairs USING btree (kind, b, at DESC, a DESC);
CREATE INDEX parked_change ON yalvo.parked USING btree (change);
CREATE INDEX refs_pointing ON yalvo.refs USING btree (reference, target, source);
CREATE INDEX uniques_of ON yalvo.uniques USING btree (doc);
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_0_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_1_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_2_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_3_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_4_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_5_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_6_pkey;
ALTER INDEX yalvo.entries_pkey ATTACH PARTITION yalvo.entries_7_pkey;
