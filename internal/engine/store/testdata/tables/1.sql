CREATE SCHEMA yalvo;
CREATE TABLE yalvo.answered (
    key text NOT NULL,
    request bytea NOT NULL,
    answer text,
    answered timestamp with time zone DEFAULT now() NOT NULL
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
    born bigint NOT NULL,
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
    change bigint,
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
CREATE TABLE yalvo.floors (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    spare bigint NOT NULL
);
CREATE TABLE yalvo.journal (
    seq bigint NOT NULL,
    xid xid8 DEFAULT pg_current_xact_id() NOT NULL,
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
CREATE TABLE yalvo.pairs (
    kind smallint NOT NULL,
    b bigint NOT NULL,
    a bigint NOT NULL,
    at timestamp with time zone DEFAULT clock_timestamp() NOT NULL
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
    change bigint,
    since timestamp with time zone NOT NULL,
    attempts smallint NOT NULL,
    parked timestamp with time zone DEFAULT now() NOT NULL,
    error text NOT NULL
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
INSERT INTO yalvo.designs VALUES
	(1, '2026-11-26 09:48:54.237084+00', 'd1.yaml', 'yalvo: 1
app: reeds
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true, max: 40}, handle: {type: string, unique: true}}
    kept: {followers: {count: follow.to}, posts_n: {count: posts.author}}
  posts:
    fields: {text: {type: string, required: true}, size: {type: integer}, author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}}
    kept: {byline: {copy: author, fields: [name]}, likes: {count: like.to}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followed_by}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 50, carry: [text, byline]}
');
INSERT INTO yalvo.documents OVERRIDING SYSTEM VALUE VALUES
	(1, 1, 'ada', NULL, 1, '2026-11-26 09:48:54.26+00', '2026-11-26 09:48:54.26+00', '{"name": "Ada", "handle": "ada"}', 1, '\x55dfcbe555501a0d06ae9b47234147ddfb419b1228da55ec683625f9cd485493'),
	(3, 1, 'cy', NULL, 1, '2026-11-26 09:48:54.28849+00', '2026-11-26 09:48:54.28849+00', '{"name": "Cy", "handle": "cy"}', 3, '\xd5acbc54de6b4c1d3123110f8193ec6cb2ee9c6f7073a15b45f4f97e7c1d1da4'),
	(4, 1, 'dora', NULL, 1, '2026-11-26 09:48:54.299732+00', '2026-11-26 09:48:54.299732+00', '{"name": "Dora", "handle": "dora"}', 4, '\xca5822375d9ab423c53f842bd2c5d6347943f010e34a3364d79154272ab243a7'),
	(5, 2, 'ada-1', NULL, 1, '2026-11-26 09:48:54.397305+00', '2026-11-26 09:48:54.397305+00', '{"size": 1, "text": "ada says 1, with é and a \\ in it", "author": "ada"}', 10, '\xca38b65c8ad7ece952616b574dcdb13031bef6b4bfdc9a1c5e548c8e34cf05a4'),
	(6, 2, 'ben-1', NULL, 1, '2026-11-26 09:48:54.415368+00', '2026-11-26 09:48:54.415368+00', '{"size": 1, "text": "ben says 1, with é and a \\ in it", "author": "ben"}', 11, '\xaf3a69a06e34f9e548a59c5cca9d3844be4c669aa2ecb33b9c8fabec45cf4e58'),
	(7, 2, 'cy-1', NULL, 1, '2026-11-26 09:48:54.431192+00', '2026-11-26 09:48:54.431193+00', '{"size": 1, "text": "cy says 1, with é and a \\ in it", "author": "cy"}', 12, '\x3e3a27035a545b5b73d5b28d8fa098444e7cc587fcd012194fbd42d48dd6f94e'),
	(8, 2, 'ada-2', NULL, 1, '2026-11-26 09:48:54.447416+00', '2026-11-26 09:48:54.447416+00', '{"size": 2, "text": "ada says 2, with é and a \\ in it", "author": "ada"}', 13, '\x81f25967a88105d18726e4249d487ecb5eb5ca13918998a6f769f2896e7001b4'),
	(9, 2, 'ben-2', NULL, 1, '2026-11-26 09:48:54.4637+00', '2026-11-26 09:48:54.4637+00', '{"size": 2, "text": "ben says 2, with é and a \\ in it", "author": "ben"}', 14, '\xa202da689bdadd7c0056555cb321818679e5e87f5b52eaeb75b860dcf96dc668'),
	(10, 2, 'cy-2', NULL, 1, '2026-11-26 09:48:54.478907+00', '2026-11-26 09:48:54.478907+00', '{"size": 2, "text": "cy says 2, with é and a \\ in it", "author": "cy"}', 15, '\x1d176f57420f1da3c6bd7b5258a1e58680a35c4681071804144d179cdb039244'),
	(11, 2, 'ada-3', NULL, 1, '2026-11-26 09:48:54.495876+00', '2026-11-26 09:48:54.495876+00', '{"size": 3, "text": "ada says 3, with é and a \\ in it", "author": "ada"}', 16, '\xacd8a03ec8eea0c7f73acd8d75ebd8404da882478b3c7d6bd27ef2b18631db8f'),
	(12, 2, 'ben-3', NULL, 1, '2026-11-26 09:48:54.511117+00', '2026-11-26 09:48:54.511117+00', '{"size": 3, "text": "ben says 3, with é and a \\ in it", "author": "ben"}', 17, '\xeade27f89de919b807101583b2ccf5976bfaf8b0321b88726a5c8bde1d84e48d'),
	(2, 1, 'ben', NULL, 2, '2026-11-26 09:48:54.275284+00', '2026-11-26 09:48:54.586349+00', '{"name": "Benno", "handle": "ben"}', 2, '\x2591a2d5623cc9ed0f44cba7f47e54e6b220841c6b3537dd9200a5a6b16680c6');
INSERT INTO yalvo.entries_0 VALUES
	(11, 1, 1795686534397305, 5, 1),
	(11, 1, 1795686534415368, 6, 2),
	(11, 1, 1795686534447416, 8, 1),
	(11, 1, 1795686534463700, 9, 2),
	(11, 1, 1795686534495876, 11, 1),
	(11, 1, 1795686534511117, 12, 2);
INSERT INTO yalvo.entries_1 VALUES
	(11, 3, 1795686534397305, 5, 1),
	(11, 3, 1795686534431192, 7, 3),
	(11, 3, 1795686534447416, 8, 1),
	(11, 3, 1795686534478907, 10, 3),
	(11, 3, 1795686534495876, 11, 1);
INSERT INTO yalvo.entries_2 VALUES
	(11, 2, 1795686534397305, 5, 1),
	(11, 2, 1795686534415368, 6, 2),
	(11, 2, 1795686534447416, 8, 1),
	(11, 2, 1795686534463700, 9, 2),
	(11, 2, 1795686534495876, 11, 1),
	(11, 2, 1795686534511117, 12, 2);
INSERT INTO yalvo.entries_3 VALUES
	(11, 4, 1795686534397305, 5, 1),
	(11, 4, 1795686534447416, 8, 1),
	(11, 4, 1795686534495876, 11, 1);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES
	(1, '739', '2026-11-26 09:48:54.25901+00', 'created', 'people/ada', '', '', NULL),
	(2, '740', '2026-11-26 09:48:54.274327+00', 'created', 'people/ben', '', '', NULL),
	(3, '741', '2026-11-26 09:48:54.287236+00', 'created', 'people/cy', '', '', NULL),
	(4, '742', '2026-11-26 09:48:54.299412+00', 'created', 'people/dora', '', '', NULL),
	(5, '743', '2026-11-26 09:48:54.31274+00', 'set', 'follow', 'people/ben → people/ada', '', NULL),
	(6, '747', '2026-11-26 09:48:54.328609+00', 'set', 'follow', 'people/cy → people/ada', '', NULL),
	(7, '751', '2026-11-26 09:48:54.342138+00', 'set', 'follow', 'people/dora → people/ada', '', NULL),
	(8, '755', '2026-11-26 09:48:54.361863+00', 'set', 'follow', 'people/ada → people/ben', '', NULL),
	(9, '759', '2026-11-26 09:48:54.380565+00', 'set', 'follow', 'people/cy → people/ben', '', NULL),
	(10, '763', '2026-11-26 09:48:54.396747+00', 'created', 'posts/ada-1', '', 'ada', NULL),
	(11, '767', '2026-11-26 09:48:54.415046+00', 'created', 'posts/ben-1', '', 'ben', NULL),
	(12, '771', '2026-11-26 09:48:54.430797+00', 'created', 'posts/cy-1', '', 'cy', NULL),
	(13, '775', '2026-11-26 09:48:54.446686+00', 'created', 'posts/ada-2', '', 'ada', NULL),
	(14, '779', '2026-11-26 09:48:54.463393+00', 'created', 'posts/ben-2', '', 'ben', NULL),
	(15, '783', '2026-11-26 09:48:54.478175+00', 'created', 'posts/cy-2', '', 'cy', NULL),
	(16, '787', '2026-11-26 09:48:54.495194+00', 'created', 'posts/ada-3', '', 'ada', NULL),
	(17, '791', '2026-11-26 09:48:54.51087+00', 'created', 'posts/ben-3', '', 'ben', NULL),
	(18, '795', '2026-11-26 09:48:54.528908+00', 'created', 'posts/cy-3', '', 'cy', NULL),
	(19, '799', '2026-11-26 09:48:54.543822+00', 'set', 'like', 'people/ben → posts/ada-1', '', NULL),
	(20, '801', '2026-11-26 09:48:54.559818+00', 'set', 'like', 'people/cy → posts/ada-1', '', NULL),
	(21, '803', '2026-11-26 09:48:54.572554+00', 'set', 'like', 'people/dora → posts/ben-2', '', NULL),
	(22, '805', '2026-11-26 09:48:54.585793+00', 'changed', 'people/ben', 'name', '', NULL),
	(23, '807', '2026-11-26 09:48:54.607468+00', 'removed', 'posts/cy-3', '', '', NULL),
	(24, '811', '2026-11-26 09:48:54.628969+00', 'unset', 'follow', 'people/cy → people/ben', '', NULL);
INSERT INTO yalvo.kept VALUES
	(4, '{"posts_n": 0, "followers": 0}'),
	(7, '{"likes": 0, "byline": {"name": "Cy"}}'),
	(8, '{"likes": 0, "byline": {"name": "Ada"}}'),
	(10, '{"likes": 0, "byline": {"name": "Cy"}}'),
	(11, '{"likes": 0, "byline": {"name": "Ada"}}'),
	(1, '{"posts_n": 3, "followers": 3}'),
	(5, '{"likes": 2, "byline": {"name": "Ada"}}'),
	(6, '{"likes": 0, "byline": {"name": "Benno"}}'),
	(9, '{"likes": 1, "byline": {"name": "Benno"}}'),
	(12, '{"likes": 0, "byline": {"name": "Benno"}}'),
	(3, '{"posts_n": 2, "followers": 0}'),
	(2, '{"posts_n": 3, "followers": 1}');
INSERT INTO yalvo.numbers OVERRIDING SYSTEM VALUE VALUES
	(1, 'collection', 'people'),
	(2, 'collection', 'posts'),
	(3, 'unique', 'people.handle'),
	(4, 'reference', 'posts.author'),
	(5, 'pair', 'follow'),
	(6, 'pair', 'like'),
	(7, 'kept', 'people.followers'),
	(8, 'kept', 'people.posts_n'),
	(9, 'kept', 'posts.byline'),
	(10, 'kept', 'posts.likes'),
	(11, 'timeline', 'home');
INSERT INTO yalvo.pairs VALUES
	(5, 1, 2, '2026-11-26 09:48:54.311552+00'),
	(5, 1, 3, '2026-11-26 09:48:54.328354+00'),
	(5, 1, 4, '2026-11-26 09:48:54.341911+00'),
	(5, 2, 1, '2026-11-26 09:48:54.360223+00'),
	(6, 5, 2, '2026-11-26 09:48:54.54358+00'),
	(6, 5, 3, '2026-11-26 09:48:54.558723+00'),
	(6, 9, 4, '2026-11-26 09:48:54.572337+00');
INSERT INTO yalvo.posted VALUES
	(11, 1, 1795686534397305, 5),
	(11, 2, 1795686534415368, 6),
	(11, 3, 1795686534431192, 7),
	(11, 1, 1795686534447416, 8),
	(11, 2, 1795686534463700, 9),
	(11, 3, 1795686534478907, 10),
	(11, 1, 1795686534495876, 11),
	(11, 2, 1795686534511117, 12);
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
	('schema', '1'),
	('cursor_key', 'e2cde18ccdef24a3ab444c15c97432b641067a7fc6b4e9eeb5d9d0c3a9362247');
INSERT INTO yalvo.uniques VALUES
	(3, 'ada', 1),
	(3, 'ben', 2),
	(3, 'cy', 3),
	(3, 'dora', 4);
SELECT pg_catalog.setval('yalvo.documents_n_seq', 13, true);
SELECT pg_catalog.setval('yalvo.due_seq_seq', 37, true);
SELECT pg_catalog.setval('yalvo.journal_seq_seq', 24, true);
SELECT pg_catalog.setval('yalvo.numbers_n_seq', 11, true);
ALTER TABLE ONLY yalvo.answered
    ADD CONSTRAINT answered_pkey PRIMARY KEY (key);
ALTER TABLE ONLY yalvo.designs
    ADD CONSTRAINT designs_pkey PRIMARY KEY (version);
ALTER TABLE ONLY yalvo.documents
    ADD CONSTRAINT documents_collection_key_key UNIQUE (collection, key);
ALTER TABLE ONLY yalvo.documents
    ADD CONSTRAINT documents_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.due
    ADD CONSTRAINT due_pkey PRIMARY KEY (lane, seq);
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
ALTER TABLE ONLY yalvo.floors
    ADD CONSTRAINT floors_pkey PRIMARY KEY (timeline, owner);
ALTER TABLE ONLY yalvo.journal
    ADD CONSTRAINT journal_pkey PRIMARY KEY (seq);
ALTER TABLE ONLY yalvo.kept
    ADD CONSTRAINT kept_pkey PRIMARY KEY (doc);
ALTER TABLE ONLY yalvo.numbers
    ADD CONSTRAINT numbers_kind_name_key UNIQUE (kind, name);
ALTER TABLE ONLY yalvo.numbers
    ADD CONSTRAINT numbers_pkey PRIMARY KEY (n);
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
CREATE INDEX documents_nested ON yalvo.documents USING btree (parent, collection, key) WHERE (parent IS NOT NULL);
CREATE INDEX due_change ON yalvo.due USING btree (change);
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
