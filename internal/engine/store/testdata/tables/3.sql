CREATE SCHEMA yalvo;
CREATE TABLE yalvo.answered (
    key text NOT NULL,
    request bytea NOT NULL,
    answer text,
    answered timestamp with time zone DEFAULT now() NOT NULL
);
CREATE TABLE yalvo.audience (
    timeline smallint NOT NULL,
    author bigint NOT NULL,
    pushing boolean DEFAULT false NOT NULL,
    clean boolean DEFAULT false NOT NULL
);
CREATE TABLE yalvo.audits (
    id bigint NOT NULL,
    name text DEFAULT ''::text NOT NULL,
    document text DEFAULT ''::text NOT NULL,
    state text DEFAULT 'running'::text NOT NULL,
    mending boolean DEFAULT false NOT NULL,
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
    change bigint,
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
CREATE TABLE yalvo.fired (
    n bigint NOT NULL,
    reaction smallint NOT NULL,
    change bigint NOT NULL,
    subject text NOT NULL,
    depth bigint NOT NULL,
    at timestamp with time zone DEFAULT clock_timestamp() NOT NULL,
    payload jsonb NOT NULL
);
ALTER TABLE yalvo.fired ALTER COLUMN n ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME yalvo.fired_n_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);
CREATE TABLE yalvo.floors (
    timeline smallint NOT NULL,
    owner bigint NOT NULL,
    rank bigint NOT NULL,
    doc bigint NOT NULL,
    spare bigint NOT NULL
);
CREATE TABLE yalvo.forgotten (
    id bigint NOT NULL,
    path text NOT NULL,
    change bigint,
    places jsonb NOT NULL,
    report jsonb,
    started timestamp with time zone DEFAULT now() NOT NULL,
    ended timestamp with time zone
);
CREATE TABLE yalvo.forgotten_documents (
    forgotten bigint NOT NULL,
    n bigint NOT NULL,
    path text NOT NULL
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
    change bigint,
    chunks integer NOT NULL,
    rows bigint NOT NULL,
    since timestamp with time zone NOT NULL,
    attempts smallint NOT NULL,
    parked timestamp with time zone DEFAULT now() NOT NULL,
    error text NOT NULL
);
CREATE VIEW yalvo.owed AS
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
INSERT INTO yalvo.audience VALUES
	(14, 1, false, true);
INSERT INTO yalvo.contributions VALUES
	(9, 5, 1, 1),
	(10, 5, 1, 1795686542498040),
	(9, 6, 2, 1),
	(10, 6, 2, 1795686542527692),
	(9, 7, 3, 1),
	(10, 7, 3, 1795686542554011),
	(9, 8, 1, 2),
	(10, 8, 1, 1795686542583737),
	(9, 9, 2, 2),
	(10, 9, 2, 1795686542603511),
	(9, 10, 3, 2),
	(10, 10, 3, 1795686542621178),
	(9, 11, 1, 3),
	(10, 11, 1, 1795686542643254),
	(9, 12, 2, 3),
	(10, 12, 2, 1795686542660720);
INSERT INTO yalvo.designs VALUES
	(1, '2026-11-26 09:49:02.250628+00', 'd2.yaml', 'yalvo: 1
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
	(1, 1, 'ada', NULL, 1, '2026-11-26 09:49:02.275014+00', '2026-11-26 09:49:02.275014+00', '{"name": "Ada", "handle": "ada"}', '\x55dfcbe555501a0d06ae9b47234147ddfb419b1228da55ec683625f9cd485493'),
	(3, 1, 'cy', NULL, 1, '2026-11-26 09:49:02.319997+00', '2026-11-26 09:49:02.319997+00', '{"name": "Cy", "handle": "cy"}', '\xd5acbc54de6b4c1d3123110f8193ec6cb2ee9c6f7073a15b45f4f97e7c1d1da4'),
	(4, 1, 'dora', NULL, 1, '2026-11-26 09:49:02.342365+00', '2026-11-26 09:49:02.342365+00', '{"name": "Dora", "handle": "dora"}', '\xca5822375d9ab423c53f842bd2c5d6347943f010e34a3364d79154272ab243a7'),
	(5, 2, 'ada-1', NULL, 1, '2026-11-26 09:49:02.49804+00', '2026-11-26 09:49:02.49804+00', '{"size": 1, "text": "ada says 1, with é and a \\ in it", "author": "ada"}', '\xca38b65c8ad7ece952616b574dcdb13031bef6b4bfdc9a1c5e548c8e34cf05a4'),
	(6, 2, 'ben-1', NULL, 1, '2026-11-26 09:49:02.527692+00', '2026-11-26 09:49:02.527692+00', '{"size": 1, "text": "ben says 1, with é and a \\ in it", "author": "ben"}', '\xaf3a69a06e34f9e548a59c5cca9d3844be4c669aa2ecb33b9c8fabec45cf4e58'),
	(7, 2, 'cy-1', NULL, 1, '2026-11-26 09:49:02.554011+00', '2026-11-26 09:49:02.554011+00', '{"size": 1, "text": "cy says 1, with é and a \\ in it", "author": "cy"}', '\x3e3a27035a545b5b73d5b28d8fa098444e7cc587fcd012194fbd42d48dd6f94e'),
	(8, 2, 'ada-2', NULL, 1, '2026-11-26 09:49:02.583737+00', '2026-11-26 09:49:02.583737+00', '{"size": 2, "text": "ada says 2, with é and a \\ in it", "author": "ada"}', '\x81f25967a88105d18726e4249d487ecb5eb5ca13918998a6f769f2896e7001b4'),
	(9, 2, 'ben-2', NULL, 1, '2026-11-26 09:49:02.603511+00', '2026-11-26 09:49:02.603511+00', '{"size": 2, "text": "ben says 2, with é and a \\ in it", "author": "ben"}', '\xa202da689bdadd7c0056555cb321818679e5e87f5b52eaeb75b860dcf96dc668'),
	(10, 2, 'cy-2', NULL, 1, '2026-11-26 09:49:02.621178+00', '2026-11-26 09:49:02.621178+00', '{"size": 2, "text": "cy says 2, with é and a \\ in it", "author": "cy"}', '\x1d176f57420f1da3c6bd7b5258a1e58680a35c4681071804144d179cdb039244'),
	(11, 2, 'ada-3', NULL, 1, '2026-11-26 09:49:02.643254+00', '2026-11-26 09:49:02.643254+00', '{"size": 3, "text": "ada says 3, with é and a \\ in it", "author": "ada"}', '\xacd8a03ec8eea0c7f73acd8d75ebd8404da882478b3c7d6bd27ef2b18631db8f'),
	(12, 2, 'ben-3', NULL, 1, '2026-11-26 09:49:02.66072+00', '2026-11-26 09:49:02.66072+00', '{"size": 3, "text": "ben says 3, with é and a \\ in it", "author": "ben"}', '\xeade27f89de919b807101583b2ccf5976bfaf8b0321b88726a5c8bde1d84e48d'),
	(2, 1, 'ben', NULL, 2, '2026-11-26 09:49:02.296475+00', '2026-11-26 09:49:02.756227+00', '{"name": "Benno", "handle": "ben"}', '\x2591a2d5623cc9ed0f44cba7f47e54e6b220841c6b3537dd9200a5a6b16680c6');
INSERT INTO yalvo.done VALUES
	(5, 1, 7, 1, 1, 0, '2026-11-26 09:49:02.366258+00', '2026-11-26 09:49:02.379137+00'),
	(5, 5, 14, 1, 0, 0, '2026-11-26 09:49:02.366407+00', '2026-11-26 09:49:02.381695+00'),
	(6, 1, 7, 1, 1, 0, '2026-11-26 09:49:02.398548+00', '2026-11-26 09:49:02.409325+00'),
	(6, 5, 14, 1, 0, 0, '2026-11-26 09:49:02.398589+00', '2026-11-26 09:49:02.41401+00'),
	(7, 1, 7, 1, 1, 0, '2026-11-26 09:49:02.426355+00', '2026-11-26 09:49:02.43171+00'),
	(7, 5, 14, 1, 0, 0, '2026-11-26 09:49:02.426391+00', '2026-11-26 09:49:02.441256+00'),
	(8, 1, 7, 1, 1, 0, '2026-11-26 09:49:02.452733+00', '2026-11-26 09:49:02.456622+00'),
	(8, 5, 14, 1, 0, 0, '2026-11-26 09:49:02.452766+00', '2026-11-26 09:49:02.462931+00'),
	(9, 5, 14, 1, 0, 0, '2026-11-26 09:49:02.475207+00', '2026-11-26 09:49:02.480503+00'),
	(9, 1, 7, 1, 1, 0, '2026-11-26 09:49:02.475187+00', '2026-11-26 09:49:02.482622+00'),
	(10, 3, 14, 1, 0, 0, '2026-11-26 09:49:02.501774+00', '2026-11-26 09:49:02.508635+00'),
	(10, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.501742+00', '2026-11-26 09:49:02.5141+00'),
	(10, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.501762+00', '2026-11-26 09:49:02.514116+00'),
	(10, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.50177+00', '2026-11-26 09:49:02.514122+00'),
	(10, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.513502+00', '2026-11-26 09:49:02.517372+00'),
	(11, 3, 14, 1, 2, 0, '2026-11-26 09:49:02.531872+00', '2026-11-26 09:49:02.535363+00'),
	(11, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.531833+00', '2026-11-26 09:49:02.541614+00'),
	(11, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.531856+00', '2026-11-26 09:49:02.541627+00'),
	(11, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.531864+00', '2026-11-26 09:49:02.54163+00'),
	(11, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.540576+00', '2026-11-26 09:49:02.545788+00'),
	(12, 3, 14, 1, 0, 0, '2026-11-26 09:49:02.556038+00', '2026-11-26 09:49:02.563343+00'),
	(12, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.556003+00', '2026-11-26 09:49:02.571568+00'),
	(12, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.556024+00', '2026-11-26 09:49:02.571589+00'),
	(12, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.556032+00', '2026-11-26 09:49:02.571596+00'),
	(12, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.569348+00', '2026-11-26 09:49:02.580753+00'),
	(13, 3, 14, 1, 0, 0, '2026-11-26 09:49:02.584552+00', '2026-11-26 09:49:02.58838+00'),
	(13, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.58452+00', '2026-11-26 09:49:02.594768+00'),
	(13, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.584539+00', '2026-11-26 09:49:02.594797+00'),
	(13, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.584545+00', '2026-11-26 09:49:02.594801+00'),
	(13, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.593521+00', '2026-11-26 09:49:02.599576+00'),
	(14, 3, 14, 1, 2, 0, '2026-11-26 09:49:02.60443+00', '2026-11-26 09:49:02.608536+00'),
	(14, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.60439+00', '2026-11-26 09:49:02.612602+00'),
	(14, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.604416+00', '2026-11-26 09:49:02.612621+00'),
	(14, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.604423+00', '2026-11-26 09:49:02.612627+00'),
	(14, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.61191+00', '2026-11-26 09:49:02.615603+00'),
	(15, 3, 14, 1, 0, 0, '2026-11-26 09:49:02.622057+00', '2026-11-26 09:49:02.626006+00'),
	(15, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.622032+00', '2026-11-26 09:49:02.632483+00'),
	(15, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.622048+00', '2026-11-26 09:49:02.632497+00'),
	(15, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.622053+00', '2026-11-26 09:49:02.632501+00'),
	(15, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.631294+00', '2026-11-26 09:49:02.636045+00'),
	(16, 3, 14, 1, 0, 0, '2026-11-26 09:49:02.644494+00', '2026-11-26 09:49:02.649437+00'),
	(16, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.644469+00', '2026-11-26 09:49:02.656646+00'),
	(16, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.644486+00', '2026-11-26 09:49:02.656659+00'),
	(16, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.644491+00', '2026-11-26 09:49:02.656664+00'),
	(16, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.656263+00', '2026-11-26 09:49:02.660025+00'),
	(17, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.663149+00', '2026-11-26 09:49:02.670038+00'),
	(17, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.663164+00', '2026-11-26 09:49:02.670051+00'),
	(17, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.663169+00', '2026-11-26 09:49:02.670056+00'),
	(17, 3, 14, 1, 2, 0, '2026-11-26 09:49:02.66318+00', '2026-11-26 09:49:02.671439+00'),
	(17, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.669459+00', '2026-11-26 09:49:02.67236+00'),
	(18, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.690497+00', '2026-11-26 09:49:02.695253+00'),
	(18, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.690528+00', '2026-11-26 09:49:02.695269+00'),
	(18, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.690535+00', '2026-11-26 09:49:02.695273+00'),
	(18, 3, 14, 1, 0, 0, '2026-11-26 09:49:02.690542+00', '2026-11-26 09:49:02.699841+00'),
	(18, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.694437+00', '2026-11-26 09:49:02.700372+00'),
	(19, 1, 13, 1, 1, 0, '2026-11-26 09:49:02.710571+00', '2026-11-26 09:49:02.713692+00'),
	(20, 1, 13, 1, 1, 0, '2026-11-26 09:49:02.724195+00', '2026-11-26 09:49:02.728288+00'),
	(21, 1, 13, 1, 1, 0, '2026-11-26 09:49:02.738717+00', '2026-11-26 09:49:02.743154+00'),
	(22, 2, 11, 1, 3, 0, '2026-11-26 09:49:02.756634+00', '2026-11-26 09:49:02.761241+00'),
	(23, 9, 6, 1, 0, 0, '2026-11-26 09:49:02.785051+00', '2026-11-26 09:49:02.79109+00'),
	(23, 1, 8, 1, 1, 0, '2026-11-26 09:49:02.785002+00', '2026-11-26 09:49:02.791665+00'),
	(23, 13, 9, 1, 1, 0, '2026-11-26 09:49:02.785031+00', '2026-11-26 09:49:02.791684+00'),
	(23, 13, 10, 1, 1, 0, '2026-11-26 09:49:02.785038+00', '2026-11-26 09:49:02.791688+00'),
	(23, 14, 10, 1, 1, 0, '2026-11-26 09:49:02.790935+00', '2026-11-26 09:49:02.794168+00'),
	(23, 4, 14, 1, 0, 0, '2026-11-26 09:49:02.785044+00', '2026-11-26 09:49:02.800448+00'),
	(24, 1, 7, 1, 1, 0, '2026-11-26 09:49:02.803544+00', '2026-11-26 09:49:02.808222+00'),
	(24, 5, 14, 1, 3, 0, '2026-11-26 09:49:02.803561+00', '2026-11-26 09:49:02.808574+00');
INSERT INTO yalvo.entries_0 VALUES
	(14, 1, 1795686542498040, 5, 1),
	(14, 1, 1795686542527692, 6, 2),
	(14, 1, 1795686542583737, 8, 1),
	(14, 1, 1795686542603511, 9, 2),
	(14, 1, 1795686542643254, 11, 1),
	(14, 1, 1795686542660720, 12, 2);
INSERT INTO yalvo.entries_1 VALUES
	(14, 3, 1795686542554011, 7, 3),
	(14, 3, 1795686542621178, 10, 3);
INSERT INTO yalvo.entries_2 VALUES
	(14, 2, 1795686542527692, 6, 2),
	(14, 2, 1795686542603511, 9, 2),
	(14, 2, 1795686542660720, 12, 2);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES
	(1, '742', '2026-11-26 09:49:02.277481+00', 'created', 'people/ada', '', '', NULL),
	(2, '743', '2026-11-26 09:49:02.29955+00', 'created', 'people/ben', '', '', NULL),
	(3, '744', '2026-11-26 09:49:02.320633+00', 'created', 'people/cy', '', '', NULL),
	(4, '745', '2026-11-26 09:49:02.345017+00', 'created', 'people/dora', '', '', NULL),
	(5, '746', '2026-11-26 09:49:02.366071+00', 'set', 'follow', 'people/ben → people/ada', '', NULL),
	(6, '750', '2026-11-26 09:49:02.398031+00', 'set', 'follow', 'people/cy → people/ada', '', NULL),
	(7, '754', '2026-11-26 09:49:02.426165+00', 'set', 'follow', 'people/dora → people/ada', '', NULL),
	(8, '760', '2026-11-26 09:49:02.451889+00', 'set', 'follow', 'people/ada → people/ben', '', NULL),
	(9, '764', '2026-11-26 09:49:02.47509+00', 'set', 'follow', 'people/cy → people/ben', '', NULL),
	(10, '768', '2026-11-26 09:49:02.501508+00', 'created', 'posts/ada-1', '', 'ada', NULL),
	(11, '773', '2026-11-26 09:49:02.531476+00', 'created', 'posts/ben-1', '', 'ben', NULL),
	(12, '778', '2026-11-26 09:49:02.55587+00', 'created', 'posts/cy-1', '', 'cy', NULL),
	(13, '783', '2026-11-26 09:49:02.584452+00', 'created', 'posts/ada-2', '', 'ada', NULL),
	(14, '788', '2026-11-26 09:49:02.60427+00', 'created', 'posts/ben-2', '', 'ben', NULL),
	(15, '793', '2026-11-26 09:49:02.621941+00', 'created', 'posts/cy-2', '', 'cy', NULL),
	(16, '798', '2026-11-26 09:49:02.644383+00', 'created', 'posts/ada-3', '', 'ada', NULL),
	(17, '803', '2026-11-26 09:49:02.663058+00', 'created', 'posts/ben-3', '', 'ben', NULL),
	(18, '808', '2026-11-26 09:49:02.690217+00', 'created', 'posts/cy-3', '', 'cy', NULL),
	(19, '813', '2026-11-26 09:49:02.710517+00', 'set', 'like', 'people/ben → posts/ada-1', '', NULL),
	(20, '815', '2026-11-26 09:49:02.724119+00', 'set', 'like', 'people/cy → posts/ada-1', '', NULL),
	(21, '817', '2026-11-26 09:49:02.738665+00', 'set', 'like', 'people/dora → posts/ben-2', '', NULL),
	(22, '819', '2026-11-26 09:49:02.756537+00', 'changed', 'people/ben', 'name', '', NULL),
	(23, '821', '2026-11-26 09:49:02.782624+00', 'removed', 'posts/cy-3', '', '', NULL),
	(24, '826', '2026-11-26 09:49:02.803452+00', 'unset', 'follow', 'people/cy → people/ben', '', NULL);
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
	(5, 1, 2, '2026-11-26 09:49:02.365342+00', '{}'),
	(5, 1, 3, '2026-11-26 09:49:02.395963+00', '{}'),
	(5, 1, 4, '2026-11-26 09:49:02.425704+00', '{}'),
	(5, 2, 1, '2026-11-26 09:49:02.450574+00', '{}'),
	(6, 5, 2, '2026-11-26 09:49:02.710262+00', NULL),
	(6, 5, 3, '2026-11-26 09:49:02.723825+00', NULL),
	(6, 9, 4, '2026-11-26 09:49:02.738434+00', NULL);
INSERT INTO yalvo.posted VALUES
	(14, 1, 1795686542498040, 5),
	(14, 2, 1795686542527692, 6),
	(14, 3, 1795686542554011, 7),
	(14, 1, 1795686542583737, 8),
	(14, 2, 1795686542603511, 9),
	(14, 3, 1795686542621178, 10),
	(14, 1, 1795686542643254, 11),
	(14, 2, 1795686542660720, 12);
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
	('schema', '3'),
	('cursor_key', 'e682f72d31e92896537768c76a8cbd1a5e0e2aea3ed27f62e6b39333e2935bc5');
INSERT INTO yalvo.uniques VALUES
	(3, 'ada', 1),
	(3, 'ben', 2),
	(3, 'cy', 3),
	(3, 'dora', 4);
SELECT pg_catalog.setval('yalvo.audits_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.documents_n_seq', 13, true);
SELECT pg_catalog.setval('yalvo.drift_seq_seq', 1, false);
SELECT pg_catalog.setval('yalvo.due_seq_seq', 69, true);
SELECT pg_catalog.setval('yalvo.fired_n_seq', 1, false);
SELECT pg_catalog.setval('yalvo.forgotten_id_seq', 1, false);
SELECT pg_catalog.setval('yalvo.journal_seq_seq', 24, true);
SELECT pg_catalog.setval('yalvo.numbers_n_seq', 14, true);
ALTER TABLE ONLY yalvo.answered
    ADD CONSTRAINT answered_pkey PRIMARY KEY (key);
ALTER TABLE ONLY yalvo.audience
    ADD CONSTRAINT audience_pkey PRIMARY KEY (timeline, author);
ALTER TABLE ONLY yalvo.audits
    ADD CONSTRAINT audits_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.contributions
    ADD CONSTRAINT contributions_pkey PRIMARY KEY (summary, source, target);
ALTER TABLE ONLY yalvo.designs
    ADD CONSTRAINT designs_pkey PRIMARY KEY (version);
ALTER TABLE ONLY yalvo.documents
    ADD CONSTRAINT documents_collection_key_key UNIQUE (collection, key);
ALTER TABLE ONLY yalvo.documents
    ADD CONSTRAINT documents_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.drift
    ADD CONSTRAINT drift_pkey PRIMARY KEY (audit, seq);
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
ALTER TABLE ONLY yalvo.fired
    ADD CONSTRAINT fired_pkey PRIMARY KEY (n);
ALTER TABLE ONLY yalvo.floors
    ADD CONSTRAINT floors_pkey PRIMARY KEY (timeline, owner);
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
CREATE INDEX due_change ON yalvo.due USING btree (change);
CREATE INDEX fired_by ON yalvo.fired USING btree (reaction, change);
CREATE INDEX fired_when ON yalvo.fired USING btree (at);
CREATE INDEX journal_about ON yalvo.journal USING btree (hashtextextended(
CASE
    WHEN (POSITION(('/'::text) IN (subject)) > 0) THEN subject
    ELSE detail
END, (0)::bigint));
CREATE INDEX journal_cause ON yalvo.journal USING btree (cause, seq) WHERE (cause IS NOT NULL);
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
