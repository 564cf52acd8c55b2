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
    shape smallint
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
INSERT INTO yalvo.audits OVERRIDING SYSTEM VALUE VALUES
	(1, '', '', 'finished', false, 1, 17, 17, 0, 52, 0, '2026-11-26 19:35:18.411002+00', '2026-11-26 19:35:18.463879+00', '', 2, ''),
	(2, '', '', 'finished', false, 1, 17, 17, 0, 56, 0, '2026-11-26 19:35:30.529949+00', '2026-11-26 19:35:30.584835+00', '', 2, '');
INSERT INTO yalvo.builds VALUES
	(2, 1, 'documents', '', 'people', '', 0, 9223372036854775807, 0, 2, 2, 2, 0.001052711, '2026-11-26 19:35:18.275608+00', '2026-11-26 19:35:18.275082+00', ''),
	(2, 2, 'build', 'copy', 'posts.byline', 'partly', 0, 9223372036854775807, 0, 4, 4, 4, 0.00097589, '2026-11-26 19:35:18.279218+00', '2026-11-26 19:35:18.279091+00', ''),
	(2, 3, 'build', 'frozen copy', 'posts.signed', 'partly', 0, 9223372036854775807, 0, 4, 4, 4, 0.000976541, '2026-11-26 19:35:18.282846+00', '2026-11-26 19:35:18.282757+00', '');
INSERT INTO yalvo.contributions VALUES
	(9, 4, 1, 3),
	(10, 4, 1, 1795721718053029),
	(10, 5, 1, 1795721718086248),
	(9, 6, 2, 3),
	(10, 6, 2, 1795721718136358),
	(10, 7, 2, 1795721718162090);
INSERT INTO yalvo.departed VALUES
	(3, 'cy', 1, '2026-11-26 19:35:18.038921+00', '2026-11-26 19:35:18.226422+00', '{}');
INSERT INTO yalvo.designs VALUES
	(1, '2026-11-26 19:35:17.987295+00', 'd1.yaml', 'yalvo: 1
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
', 'root', '[{"How": "added", "Was": "", "Kind": "collection", "Name": "people", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "collection", "Name": "posts", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "pair", "Name": "follow", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "pair", "Name": "like", "What": null, "Effects": null}, {"How": "added", "Was": "", "Kind": "timeline", "Name": "home", "What": null, "Effects": ["rebuild"]}]'),
	(2, '2026-11-26 19:35:18.263675+00', 'd2.yaml', 'yalvo: 1
app: reeds
accounts: people
collections:
  people:
    fields: {title: {type: string, required: true, max: 40, was: name}, handle: {type: string, unique: true}}
    kept: {followers: {count: follow.to}, posts_n: {count: posts.author}, sizes: {sum: posts.author, of: size}, newest: {latest: posts.author, how_many: 2, fields: [text]}}
  posts:
    fields: {text: {type: string, required: true}, size: {type: integer}, author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}}
    kept: {byline: {copy: author, fields: [title]}, signed: {copy: author, fields: [title], frozen: true}, likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followed_by, fields: {since: {type: integer}}}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 50, deliver: mixed, above: 2, carry: [text, byline]}
', 'root', '[{"How": "renamed", "Was": "people.name", "Kind": "field", "Name": "people.title", "What": null, "Effects": ["carry"]}, {"How": "changed", "Was": "", "Kind": "kept value", "Name": "posts.byline", "What": ["fields: title added; name dropped"], "Effects": ["rebuild"]}, {"How": "changed", "Was": "", "Kind": "kept value", "Name": "posts.signed", "What": ["fields: title added; name dropped"], "Effects": ["rebuild"]}]');
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES
	(4, 2, 'ada-1', NULL, 1, '2026-11-26 19:35:18.053029+00', '2026-11-26 19:35:18.053029+00', '{"size": 3, "text": "a heron", "author": "ada"}', '\xeccd0712f948d0d152c2460b9ee96bad5e7639ec4c0869a80c4997d047601ac9', NULL),
	(5, 2, 'ada-2', NULL, 1, '2026-11-26 19:35:18.086248+00', '2026-11-26 19:35:18.086248+00', '{"text": "a coot", "author": "ada"}', '\x866069685b026348edab832716c0687f3d24dc0a0a89deb26e4e9fd93febc01e', NULL),
	(6, 2, 'benno-1', NULL, 1, '2026-11-26 19:35:18.136358+00', '2026-11-26 19:35:18.136358+00', '{"size": 3, "text": "a heron", "author": "benno"}', '\xa14c06b500dcba62ddcd05019e7adc9dc5e2ce720e58d25601dc58282a2714c9', NULL),
	(7, 2, 'benno-2', NULL, 1, '2026-11-26 19:35:18.16209+00', '2026-11-26 19:35:18.16209+00', '{"text": "a coot", "author": "benno"}', '\xba5bf18481987d8356a9631f23f6f46c30dd4fc764f0ee77600b55f23ff25c78', NULL),
	(2, 1, 'benno', NULL, 1, '2026-11-26 19:35:18.027282+00', '2026-11-26 19:35:18.027282+00', '{"title": "Benno", "handle": "benno"}', '\xf05f13664c017c266fde519ffcb99219a89102237552a43c67c7a78846aee966', 1),
	(1, 1, 'ada', NULL, 2, '2026-11-26 19:35:18.013043+00', '2026-11-26 19:35:18.394436+00', '{"title": "Adah", "handle": "ada"}', '\xdd0839e7c3782fccdb4a68caa3aeba5a14795cf84c70936ebefa97c5994a63f5', 1);
INSERT INTO yalvo.done VALUES
	(4, 1, 8, 1, 1, 0, '2026-11-26 19:35:18.053242+00', '2026-11-26 19:35:18.064287+00'),
	(4, 13, 9, 1, 1, 0, '2026-11-26 19:35:18.053396+00', '2026-11-26 19:35:18.064468+00'),
	(4, 13, 10, 1, 1, 0, '2026-11-26 19:35:18.053403+00', '2026-11-26 19:35:18.064474+00'),
	(4, 14, 10, 1, 1, 0, '2026-11-26 19:35:18.061771+00', '2026-11-26 19:35:18.082105+00'),
	(5, 1, 8, 1, 1, 0, '2026-11-26 19:35:18.086435+00', '2026-11-26 19:35:18.106664+00'),
	(5, 13, 10, 1, 1, 0, '2026-11-26 19:35:18.086455+00', '2026-11-26 19:35:18.106682+00'),
	(4, 3, 14, 1, 0, 0, '2026-11-26 19:35:18.053444+00', '2026-11-26 19:35:18.106957+00'),
	(5, 3, 14, 1, 0, 0, '2026-11-26 19:35:18.086467+00', '2026-11-26 19:35:18.107025+00'),
	(5, 14, 10, 1, 1, 0, '2026-11-26 19:35:18.097081+00', '2026-11-26 19:35:18.134203+00'),
	(6, 3, 14, 1, 0, 0, '2026-11-26 19:35:18.136683+00', '2026-11-26 19:35:18.141893+00'),
	(6, 1, 8, 1, 1, 0, '2026-11-26 19:35:18.136632+00', '2026-11-26 19:35:18.146111+00'),
	(6, 13, 9, 1, 1, 0, '2026-11-26 19:35:18.136661+00', '2026-11-26 19:35:18.146127+00'),
	(6, 13, 10, 1, 1, 0, '2026-11-26 19:35:18.136667+00', '2026-11-26 19:35:18.146131+00'),
	(6, 14, 10, 1, 1, 0, '2026-11-26 19:35:18.144403+00', '2026-11-26 19:35:18.151971+00'),
	(7, 1, 8, 1, 1, 0, '2026-11-26 19:35:18.162364+00', '2026-11-26 19:35:18.173393+00'),
	(7, 13, 10, 1, 1, 0, '2026-11-26 19:35:18.162397+00', '2026-11-26 19:35:18.173412+00'),
	(7, 3, 14, 1, 0, 0, '2026-11-26 19:35:18.162414+00', '2026-11-26 19:35:18.174147+00'),
	(7, 14, 10, 1, 1, 0, '2026-11-26 19:35:18.17124+00', '2026-11-26 19:35:18.179687+00'),
	(8, 11, 14, 1, 0, 0, '2026-11-26 19:35:18.229093+00', '2026-11-26 19:35:18.238655+00'),
	(9, 2, 11, 1, 2, 0, '2026-11-26 19:35:18.395746+00', '2026-11-26 19:35:18.398597+00'),
	(10, 5, 14, 1, 2, 0, '2026-11-26 19:35:30.456403+00', '2026-11-26 19:35:30.502545+00'),
	(12, 5, 14, 1, 2, 0, '2026-11-26 19:35:30.50893+00', '2026-11-26 19:35:30.519812+00');
INSERT INTO yalvo.entries_0 VALUES
	(14, 1, 1795721718053029, 4, 1),
	(14, 1, 1795721718086248, 5, 1),
	(14, 1, 1795721718136358, 6, 2),
	(14, 1, 1795721718162090, 7, 2);
INSERT INTO yalvo.entries_2 VALUES
	(14, 2, 1795721718136358, 6, 2),
	(14, 2, 1795721718162090, 7, 2),
	(14, 2, 1795721718053029, 4, 1),
	(14, 2, 1795721718086248, 5, 1);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES
	(1, 744, '2026-11-26 19:35:18.013444+00', 'created', 'people/ada', '', '', NULL),
	(2, 745, '2026-11-26 19:35:18.027423+00', 'created', 'people/benno', '', '', NULL),
	(3, 746, '2026-11-26 19:35:18.039003+00', 'created', 'people/cy', '', '', NULL),
	(4, 747, '2026-11-26 19:35:18.053156+00', 'created', 'posts/ada-1', '', 'ada', NULL),
	(5, 750, '2026-11-26 19:35:18.086379+00', 'created', 'posts/ada-2', '', 'ada', NULL),
	(6, 755, '2026-11-26 19:35:18.136548+00', 'created', 'posts/benno-1', '', 'benno', NULL),
	(7, 760, '2026-11-26 19:35:18.162265+00', 'created', 'posts/benno-2', '', 'benno', NULL),
	(8, 765, '2026-11-26 19:35:18.224744+00', 'removed', 'people/cy', '', 'cy', NULL),
	(9, 774, '2026-11-26 19:35:18.395599+00', 'changed', 'people/ada', 'title', '', NULL),
	(10, 778, '2026-11-26 19:35:30.455589+00', 'set', 'follow', 'people/ada → people/benno', '', NULL),
	(11, 781, '2026-11-26 19:35:30.490908+00', 'set', 'like', 'people/ada → posts/benno-1', '', NULL),
	(12, 784, '2026-11-26 19:35:30.507498+00', 'set', 'follow', 'people/benno → people/ada', '', NULL);
INSERT INTO yalvo.kept VALUES
	(7, '{"likes": 0, "byline": {"title": "Benno"}, "signed": {"title": "Benno"}}'),
	(4, '{"likes": 0, "byline": {"title": "Adah"}, "signed": {"title": "Ada"}}'),
	(5, '{"likes": 0, "byline": {"title": "Adah"}, "signed": {"title": "Ada"}}'),
	(2, '{"sizes": 3, "newest": [{"id": "benno-2", "path": "posts/benno-2", "text": "a coot"}, {"id": "benno-1", "path": "posts/benno-1", "text": "a heron"}], "posts_n": 2, "followers": 1}'),
	(6, '{"likes": 1, "byline": {"title": "Benno"}, "signed": {"title": "Benno"}}'),
	(1, '{"sizes": 3, "newest": [{"id": "ada-2", "path": "posts/ada-2", "text": "a coot"}, {"id": "ada-1", "path": "posts/ada-1", "text": "a heron"}], "posts_n": 2, "followers": 1}');
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES
	(2, 'collection', 'posts', NULL),
	(3, 'unique', 'people.handle', NULL),
	(4, 'reference', 'posts.author', NULL),
	(5, 'pair', 'follow', NULL),
	(6, 'pair', 'like', NULL),
	(7, 'kept', 'people.followers', NULL),
	(8, 'kept', 'people.posts_n', NULL),
	(9, 'kept', 'people.sizes', NULL),
	(10, 'kept', 'people.newest', NULL),
	(11, 'kept', 'posts.byline', NULL),
	(12, 'kept', 'posts.signed', NULL),
	(13, 'kept', 'posts.likes', NULL),
	(14, 'timeline', 'home', NULL),
	(1, 'collection', 'people', 1);
INSERT INTO yalvo.origins VALUES
	(4, 12, 1, '{"title": "Ada"}'),
	(5, 12, 1, '{"title": "Ada"}'),
	(6, 12, 2, '{"title": "Benno"}'),
	(7, 12, 2, '{"title": "Benno"}');
INSERT INTO yalvo.pairs VALUES
	(5, 2, 1, '2026-11-26 19:35:30.455181+00', '{"since": 7}', NULL),
	(6, 6, 1, '2026-11-26 19:35:30.49075+00', NULL, NULL),
	(5, 1, 2, '2026-11-26 19:35:30.507359+00', '{}', NULL);
INSERT INTO yalvo.posted VALUES
	(14, 1, 1795721718053029, 4),
	(14, 1, 1795721718086248, 5),
	(14, 2, 1795721718136358, 6),
	(14, 2, 1795721718162090, 7);
INSERT INTO yalvo.refs VALUES
	(4, 4, 1),
	(5, 4, 1),
	(6, 4, 2),
	(7, 4, 2);
INSERT INTO yalvo.settings VALUES
	('schema', '7'),
	('cursor_key', 'aa3075627deed678859302b4e38ceb68e6c9ee3e7d1d130ed06924ca327b775a');
INSERT INTO yalvo.uniques VALUES
	(3, 'ada', 1),
	(3, 'benno', 2);
SELECT pg_catalog.setval('yalvo.audits_id_seq', 2, true);
SELECT pg_catalog.setval('yalvo.brought_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.documents_n_seq', 7, true);
SELECT pg_catalog.setval('yalvo.drift_seq_seq', 1, false);
SELECT pg_catalog.setval('yalvo.due_seq_seq', 25, true);
SELECT pg_catalog.setval('yalvo.events_n_seq', 1, false);
SELECT pg_catalog.setval('yalvo.forgotten_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.journal_seq_seq', 12, true);
SELECT pg_catalog.setval('yalvo.numbers_n_seq', 14, true);
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
ALTER TABLE ONLY yalvo.forgotten_documents
    ADD CONSTRAINT forgotten_documents_pkey PRIMARY KEY (forgotten, n);
ALTER TABLE ONLY yalvo.forgotten
    ADD CONSTRAINT forgotten_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.journal
    ADD CONSTRAINT journal_pkey PRIMARY KEY (seq);
ALTER TABLE ONLY yalvo.kept
    ADD CONSTRAINT kept_pkey PRIMARY KEY (doc);
ALTER TABLE ONLY yalvo.misfits
    ADD CONSTRAINT misfits_pkey PRIMARY KEY (subject, field, code, doc, other, pointer);
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
CREATE INDEX misfits_of ON yalvo.misfits USING btree (doc);
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
