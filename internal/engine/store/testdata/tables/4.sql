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
    doc bigint NOT NULL,
    other bigint NOT NULL,
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
	(21, 1, false, true);
INSERT INTO yalvo.contributions VALUES
	(12, 5, 1, 1),
	(14, 5, 1, 1795686546566107),
	(12, 6, 2, 1),
	(14, 6, 2, 1795686546588072),
	(12, 7, 3, 1),
	(14, 7, 3, 1795686546614161),
	(12, 8, 1, 2),
	(14, 8, 1, 1795686546633441),
	(12, 9, 2, 2),
	(14, 9, 2, 1795686546655478),
	(12, 10, 3, 2),
	(14, 10, 3, 1795686546672745),
	(12, 11, 1, 3),
	(14, 11, 1, 1795686546691879),
	(12, 12, 2, 3),
	(14, 12, 2, 1795686546710333);
INSERT INTO yalvo.departed VALUES
	(13, 'cy-3');
INSERT INTO yalvo.designs VALUES
	(1, '2026-11-26 09:49:06.341169+00', 'd2.yaml', 'yalvo: 1
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
	(1, 1, 'ada', NULL, 1, '2026-11-26 09:49:06.377881+00', '2026-11-26 09:49:06.377881+00', '{"name": "Ada", "handle": "ada"}', '\x55dfcbe555501a0d06ae9b47234147ddfb419b1228da55ec683625f9cd485493'),
	(3, 1, 'cy', NULL, 1, '2026-11-26 09:49:06.421094+00', '2026-11-26 09:49:06.421094+00', '{"name": "Cy", "handle": "cy"}', '\xd5acbc54de6b4c1d3123110f8193ec6cb2ee9c6f7073a15b45f4f97e7c1d1da4'),
	(4, 1, 'dora', NULL, 1, '2026-11-26 09:49:06.437327+00', '2026-11-26 09:49:06.437327+00', '{"name": "Dora", "handle": "dora"}', '\xca5822375d9ab423c53f842bd2c5d6347943f010e34a3364d79154272ab243a7'),
	(5, 2, 'ada-1', NULL, 1, '2026-11-26 09:49:06.566107+00', '2026-11-26 09:49:06.566107+00', '{"size": 1, "text": "ada says 1, with é and a \\ in it", "author": "ada"}', '\xca38b65c8ad7ece952616b574dcdb13031bef6b4bfdc9a1c5e548c8e34cf05a4'),
	(6, 2, 'ben-1', NULL, 1, '2026-11-26 09:49:06.588072+00', '2026-11-26 09:49:06.588072+00', '{"size": 1, "text": "ben says 1, with é and a \\ in it", "author": "ben"}', '\xaf3a69a06e34f9e548a59c5cca9d3844be4c669aa2ecb33b9c8fabec45cf4e58'),
	(7, 2, 'cy-1', NULL, 1, '2026-11-26 09:49:06.614161+00', '2026-11-26 09:49:06.614161+00', '{"size": 1, "text": "cy says 1, with é and a \\ in it", "author": "cy"}', '\x3e3a27035a545b5b73d5b28d8fa098444e7cc587fcd012194fbd42d48dd6f94e'),
	(8, 2, 'ada-2', NULL, 1, '2026-11-26 09:49:06.633441+00', '2026-11-26 09:49:06.633441+00', '{"size": 2, "text": "ada says 2, with é and a \\ in it", "author": "ada"}', '\x81f25967a88105d18726e4249d487ecb5eb5ca13918998a6f769f2896e7001b4'),
	(9, 2, 'ben-2', NULL, 1, '2026-11-26 09:49:06.655478+00', '2026-11-26 09:49:06.655478+00', '{"size": 2, "text": "ben says 2, with é and a \\ in it", "author": "ben"}', '\xa202da689bdadd7c0056555cb321818679e5e87f5b52eaeb75b860dcf96dc668'),
	(10, 2, 'cy-2', NULL, 1, '2026-11-26 09:49:06.672745+00', '2026-11-26 09:49:06.672745+00', '{"size": 2, "text": "cy says 2, with é and a \\ in it", "author": "cy"}', '\x1d176f57420f1da3c6bd7b5258a1e58680a35c4681071804144d179cdb039244'),
	(11, 2, 'ada-3', NULL, 1, '2026-11-26 09:49:06.691879+00', '2026-11-26 09:49:06.691879+00', '{"size": 3, "text": "ada says 3, with é and a \\ in it", "author": "ada"}', '\xacd8a03ec8eea0c7f73acd8d75ebd8404da882478b3c7d6bd27ef2b18631db8f'),
	(12, 2, 'ben-3', NULL, 1, '2026-11-26 09:49:06.710333+00', '2026-11-26 09:49:06.710333+00', '{"size": 3, "text": "ben says 3, with é and a \\ in it", "author": "ben"}', '\xeade27f89de919b807101583b2ccf5976bfaf8b0321b88726a5c8bde1d84e48d'),
	(2, 1, 'ben', NULL, 2, '2026-11-26 09:49:06.403991+00', '2026-11-26 09:49:06.784084+00', '{"name": "Benno", "handle": "ben"}', '\x2591a2d5623cc9ed0f44cba7f47e54e6b220841c6b3537dd9200a5a6b16680c6');
INSERT INTO yalvo.done VALUES
	(5, 1, 8, 1, 1, 0, '2026-11-26 09:49:06.454496+00', '2026-11-26 09:49:06.462209+00'),
	(5, 5, 21, 1, 0, 0, '2026-11-26 09:49:06.454608+00', '2026-11-26 09:49:06.469311+00'),
	(6, 5, 21, 1, 0, 0, '2026-11-26 09:49:06.476538+00', '2026-11-26 09:49:06.480933+00'),
	(6, 1, 8, 1, 1, 0, '2026-11-26 09:49:06.476517+00', '2026-11-26 09:49:06.481615+00'),
	(7, 1, 8, 1, 1, 0, '2026-11-26 09:49:06.494551+00', '2026-11-26 09:49:06.502275+00'),
	(7, 5, 21, 1, 0, 0, '2026-11-26 09:49:06.494577+00', '2026-11-26 09:49:06.514186+00'),
	(8, 5, 21, 1, 0, 0, '2026-11-26 09:49:06.52394+00', '2026-11-26 09:49:06.529738+00'),
	(8, 1, 8, 1, 1, 0, '2026-11-26 09:49:06.523914+00', '2026-11-26 09:49:06.531302+00'),
	(9, 5, 21, 1, 0, 0, '2026-11-26 09:49:06.546044+00', '2026-11-26 09:49:06.552964+00'),
	(9, 1, 8, 1, 1, 0, '2026-11-26 09:49:06.546025+00', '2026-11-26 09:49:06.558407+00'),
	(10, 3, 21, 1, 0, 0, '2026-11-26 09:49:06.570146+00', '2026-11-26 09:49:06.577009+00'),
	(10, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.570109+00', '2026-11-26 09:49:06.585119+00'),
	(10, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.570134+00', '2026-11-26 09:49:06.585239+00'),
	(10, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.57014+00', '2026-11-26 09:49:06.585246+00'),
	(10, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.581823+00', '2026-11-26 09:49:06.592233+00'),
	(11, 3, 21, 1, 2, 0, '2026-11-26 09:49:06.591581+00', '2026-11-26 09:49:06.602356+00'),
	(11, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.59154+00', '2026-11-26 09:49:06.604493+00'),
	(11, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.59156+00', '2026-11-26 09:49:06.604512+00'),
	(11, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.591573+00', '2026-11-26 09:49:06.604519+00'),
	(11, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.600867+00', '2026-11-26 09:49:06.606287+00'),
	(12, 3, 21, 1, 0, 0, '2026-11-26 09:49:06.616913+00', '2026-11-26 09:49:06.623151+00'),
	(12, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.616883+00', '2026-11-26 09:49:06.625355+00'),
	(12, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.616905+00', '2026-11-26 09:49:06.625371+00'),
	(12, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.61691+00', '2026-11-26 09:49:06.625375+00'),
	(12, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.623855+00', '2026-11-26 09:49:06.62827+00'),
	(13, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.636525+00', '2026-11-26 09:49:06.642912+00'),
	(13, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.636544+00', '2026-11-26 09:49:06.642925+00'),
	(13, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.636549+00', '2026-11-26 09:49:06.64293+00'),
	(13, 3, 21, 1, 0, 0, '2026-11-26 09:49:06.636553+00', '2026-11-26 09:49:06.64304+00'),
	(13, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.641694+00', '2026-11-26 09:49:06.649485+00'),
	(14, 3, 21, 1, 2, 0, '2026-11-26 09:49:06.657456+00', '2026-11-26 09:49:06.664233+00'),
	(14, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.657419+00', '2026-11-26 09:49:06.667688+00'),
	(14, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.657447+00', '2026-11-26 09:49:06.667721+00'),
	(14, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.657452+00', '2026-11-26 09:49:06.667725+00'),
	(14, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.665218+00', '2026-11-26 09:49:06.672714+00'),
	(15, 3, 21, 1, 0, 0, '2026-11-26 09:49:06.676129+00', '2026-11-26 09:49:06.679637+00'),
	(15, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.676103+00', '2026-11-26 09:49:06.684908+00'),
	(15, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.676121+00', '2026-11-26 09:49:06.684929+00'),
	(15, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.676126+00', '2026-11-26 09:49:06.684935+00'),
	(15, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.683274+00', '2026-11-26 09:49:06.690522+00'),
	(16, 3, 21, 1, 0, 0, '2026-11-26 09:49:06.693718+00', '2026-11-26 09:49:06.700007+00'),
	(16, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.693675+00', '2026-11-26 09:49:06.703584+00'),
	(16, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.693696+00', '2026-11-26 09:49:06.703619+00'),
	(16, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.693703+00', '2026-11-26 09:49:06.703624+00'),
	(16, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.699852+00', '2026-11-26 09:49:06.707706+00'),
	(17, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.711151+00', '2026-11-26 09:49:06.71596+00'),
	(17, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.711167+00', '2026-11-26 09:49:06.715974+00'),
	(17, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.711171+00', '2026-11-26 09:49:06.715978+00'),
	(17, 3, 21, 1, 2, 0, '2026-11-26 09:49:06.711175+00', '2026-11-26 09:49:06.716315+00'),
	(17, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.714953+00', '2026-11-26 09:49:06.721921+00'),
	(18, 3, 21, 1, 0, 0, '2026-11-26 09:49:06.729452+00', '2026-11-26 09:49:06.732575+00'),
	(18, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.729424+00', '2026-11-26 09:49:06.735079+00'),
	(18, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.729444+00', '2026-11-26 09:49:06.735092+00'),
	(18, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.729449+00', '2026-11-26 09:49:06.735096+00'),
	(18, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.734564+00', '2026-11-26 09:49:06.73709+00'),
	(19, 1, 19, 1, 1, 0, '2026-11-26 09:49:06.744767+00', '2026-11-26 09:49:06.746281+00'),
	(20, 1, 19, 1, 1, 0, '2026-11-26 09:49:06.756827+00', '2026-11-26 09:49:06.759586+00'),
	(21, 1, 19, 1, 1, 0, '2026-11-26 09:49:06.77052+00', '2026-11-26 09:49:06.772868+00'),
	(22, 2, 16, 1, 3, 0, '2026-11-26 09:49:06.784433+00', '2026-11-26 09:49:06.79534+00'),
	(23, 9, 6, 1, 0, 0, '2026-11-26 09:49:06.811313+00', '2026-11-26 09:49:06.818244+00'),
	(23, 1, 9, 1, 1, 0, '2026-11-26 09:49:06.811266+00', '2026-11-26 09:49:06.82141+00'),
	(23, 13, 12, 1, 1, 0, '2026-11-26 09:49:06.811293+00', '2026-11-26 09:49:06.821424+00'),
	(23, 13, 14, 1, 1, 0, '2026-11-26 09:49:06.8113+00', '2026-11-26 09:49:06.821428+00'),
	(23, 14, 14, 1, 1, 0, '2026-11-26 09:49:06.820689+00', '2026-11-26 09:49:06.825433+00'),
	(23, 4, 21, 1, 0, 0, '2026-11-26 09:49:06.811307+00', '2026-11-26 09:49:06.827229+00'),
	(24, 1, 8, 1, 1, 0, '2026-11-26 09:49:06.833577+00', '2026-11-26 09:49:06.837992+00'),
	(24, 5, 21, 1, 3, 0, '2026-11-26 09:49:06.833599+00', '2026-11-26 09:49:06.846376+00');
INSERT INTO yalvo.entries_0 VALUES
	(21, 1, 1795686546566107, 5, 1),
	(21, 1, 1795686546588072, 6, 2),
	(21, 1, 1795686546633441, 8, 1),
	(21, 1, 1795686546655478, 9, 2),
	(21, 1, 1795686546691879, 11, 1),
	(21, 1, 1795686546710333, 12, 2);
INSERT INTO yalvo.entries_1 VALUES
	(21, 3, 1795686546614161, 7, 3),
	(21, 3, 1795686546672745, 10, 3);
INSERT INTO yalvo.entries_2 VALUES
	(21, 2, 1795686546588072, 6, 2),
	(21, 2, 1795686546655478, 9, 2),
	(21, 2, 1795686546710333, 12, 2);
INSERT INTO yalvo.journal OVERRIDING SYSTEM VALUE VALUES
	(1, '742', '2026-11-26 09:49:06.381662+00', 'created', 'people/ada', '', '', NULL),
	(2, '743', '2026-11-26 09:49:06.406039+00', 'created', 'people/ben', '', '', NULL),
	(3, '744', '2026-11-26 09:49:06.421779+00', 'created', 'people/cy', '', '', NULL),
	(4, '745', '2026-11-26 09:49:06.439611+00', 'created', 'people/dora', '', '', NULL),
	(5, '746', '2026-11-26 09:49:06.45436+00', 'set', 'follow', 'people/ben → people/ada', '', NULL),
	(6, '750', '2026-11-26 09:49:06.476222+00', 'set', 'follow', 'people/cy → people/ada', '', NULL),
	(7, '754', '2026-11-26 09:49:06.494422+00', 'set', 'follow', 'people/dora → people/ada', '', NULL),
	(8, '759', '2026-11-26 09:49:06.523524+00', 'set', 'follow', 'people/ada → people/ben', '', NULL),
	(9, '764', '2026-11-26 09:49:06.545902+00', 'set', 'follow', 'people/cy → people/ben', '', NULL),
	(10, '768', '2026-11-26 09:49:06.569818+00', 'created', 'posts/ada-1', '', 'ada', NULL),
	(11, '773', '2026-11-26 09:49:06.591446+00', 'created', 'posts/ben-1', '', 'ben', NULL),
	(12, '778', '2026-11-26 09:49:06.616653+00', 'created', 'posts/cy-1', '', 'cy', NULL),
	(13, '783', '2026-11-26 09:49:06.636295+00', 'created', 'posts/ada-2', '', 'ada', NULL),
	(14, '788', '2026-11-26 09:49:06.657276+00', 'created', 'posts/ben-2', '', 'ben', NULL),
	(15, '793', '2026-11-26 09:49:06.675877+00', 'created', 'posts/cy-2', '', 'cy', NULL),
	(16, '798', '2026-11-26 09:49:06.693555+00', 'created', 'posts/ada-3', '', 'ada', NULL),
	(17, '803', '2026-11-26 09:49:06.711065+00', 'created', 'posts/ben-3', '', 'ben', NULL),
	(18, '808', '2026-11-26 09:49:06.729334+00', 'created', 'posts/cy-3', '', 'cy', NULL),
	(19, '813', '2026-11-26 09:49:06.744684+00', 'set', 'like', 'people/ben → posts/ada-1', '', NULL),
	(20, '815', '2026-11-26 09:49:06.756765+00', 'set', 'like', 'people/cy → posts/ada-1', '', NULL),
	(21, '817', '2026-11-26 09:49:06.770442+00', 'set', 'like', 'people/dora → posts/ben-2', '', NULL),
	(22, '819', '2026-11-26 09:49:06.784346+00', 'changed', 'people/ben', 'name', '', NULL),
	(23, '821', '2026-11-26 09:49:06.808376+00', 'removed', 'posts/cy-3', '', '', NULL),
	(24, '826', '2026-11-26 09:49:06.833501+00', 'unset', 'follow', 'people/cy → people/ben', '', NULL);
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
	(8, 'kept', 'people.followers'),
	(9, 'kept', 'people.posts_n'),
	(12, 'kept', 'people.sizes'),
	(14, 'kept', 'people.newest'),
	(16, 'kept', 'posts.byline'),
	(18, 'kept', 'posts.signed'),
	(19, 'kept', 'posts.likes'),
	(21, 'timeline', 'home');
INSERT INTO yalvo.origins VALUES
	(5, 18, 1, '{"name": "Ada"}'),
	(6, 18, 2, '{"name": "Ben"}'),
	(7, 18, 3, '{"name": "Cy"}'),
	(8, 18, 1, '{"name": "Ada"}'),
	(9, 18, 2, '{"name": "Ben"}'),
	(10, 18, 3, '{"name": "Cy"}'),
	(11, 18, 1, '{"name": "Ada"}'),
	(12, 18, 2, '{"name": "Ben"}');
INSERT INTO yalvo.pairs VALUES
	(5, 1, 2, '2026-11-26 09:49:06.453727+00', '{}'),
	(5, 1, 3, '2026-11-26 09:49:06.474858+00', '{}'),
	(5, 1, 4, '2026-11-26 09:49:06.494025+00', '{}'),
	(5, 2, 1, '2026-11-26 09:49:06.516843+00', '{}'),
	(6, 5, 2, '2026-11-26 09:49:06.744482+00', NULL),
	(6, 5, 3, '2026-11-26 09:49:06.75654+00', NULL),
	(6, 9, 4, '2026-11-26 09:49:06.770154+00', NULL);
INSERT INTO yalvo.posted VALUES
	(21, 1, 1795686546566107, 5),
	(21, 2, 1795686546588072, 6),
	(21, 3, 1795686546614161, 7),
	(21, 1, 1795686546633441, 8),
	(21, 2, 1795686546655478, 9),
	(21, 3, 1795686546672745, 10),
	(21, 1, 1795686546691879, 11),
	(21, 2, 1795686546710333, 12);
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
	('schema', '4'),
	('cursor_key', '4282d439545b6e2116a72c7b80442cd37198bdca39a3ea0b98dc6d92bda8534f');
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
SELECT pg_catalog.setval('yalvo.numbers_n_seq', 22, true);
ALTER TABLE ONLY yalvo.answered
    ADD CONSTRAINT answered_pkey PRIMARY KEY (key);
ALTER TABLE ONLY yalvo.audience
    ADD CONSTRAINT audience_pkey PRIMARY KEY (timeline, author);
ALTER TABLE ONLY yalvo.audits
    ADD CONSTRAINT audits_pkey PRIMARY KEY (id);
ALTER TABLE ONLY yalvo.contributions
    ADD CONSTRAINT contributions_pkey PRIMARY KEY (summary, source, target);
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
