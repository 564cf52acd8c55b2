-- Summaries, mixed timelines, triggers, traces, audits, forgetting.
ALTER TABLE documents DROP COLUMN born;
ALTER TABLE pairs ADD COLUMN fields jsonb;
CREATE TABLE contributions (
    summary smallint NOT NULL,
    source  bigint   NOT NULL,
    target  bigint   NOT NULL,
    value   numeric  NOT NULL,
    PRIMARY KEY (summary, source, target)
);
CREATE INDEX contributions_to ON contributions (summary, target, value, source);
CREATE TABLE audience (
    timeline smallint NOT NULL,
    author   bigint   NOT NULL,
    pushing  boolean  NOT NULL DEFAULT false,
    clean    boolean  NOT NULL DEFAULT false,
    PRIMARY KEY (timeline, author)
);
CREATE INDEX journal_about ON journal
    (hashtextextended(CASE WHEN position('/' IN subject) > 0 THEN subject ELSE detail END, 0));
CREATE INDEX journal_cause ON journal (cause, seq) WHERE cause IS NOT NULL;
ALTER TABLE due
    ADD COLUMN chunks integer NOT NULL DEFAULT 0,
    ADD COLUMN rows bigint NOT NULL DEFAULT 0;
ALTER TABLE parked
    ADD COLUMN chunks integer NOT NULL DEFAULT 0,
    ADD COLUMN rows bigint NOT NULL DEFAULT 0;
ALTER TABLE parked ALTER COLUMN chunks DROP DEFAULT, ALTER COLUMN rows DROP DEFAULT;
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
CREATE TABLE fired (
    n        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    reaction smallint    NOT NULL,
    change   bigint      NOT NULL,
    subject  text        NOT NULL,
    depth    bigint      NOT NULL,
    at       timestamptz NOT NULL DEFAULT clock_timestamp(),
    payload  jsonb       NOT NULL
);
CREATE INDEX fired_by ON fired (reaction, change);
CREATE INDEX fired_when ON fired (at);
CREATE TABLE origins (
    copy   smallint NOT NULL,
    target bigint   NOT NULL,
    source bigint   NOT NULL,
    PRIMARY KEY (copy, target, source)
);
CREATE TABLE forgotten (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    path    text        NOT NULL,
    change  bigint,
    places  jsonb       NOT NULL,
    report  jsonb,
    started timestamptz NOT NULL DEFAULT now(),
    ended   timestamptz
);
CREATE TABLE forgotten_documents (
    forgotten bigint NOT NULL,
    n         bigint NOT NULL,
    path      text   NOT NULL,
    PRIMARY KEY (forgotten, n)
);
CREATE VIEW owed AS
    SELECT lane, step, subject, key, doc, amount, change FROM due
    UNION ALL
    SELECT lane, step, subject, key, doc, amount, change FROM parked;
CREATE TABLE audits (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text        NOT NULL DEFAULT '',
    document text        NOT NULL DEFAULT '',
    state    text        NOT NULL DEFAULT 'running',
    mending  boolean     NOT NULL DEFAULT false,
    step     integer     NOT NULL DEFAULT 0,
    steps    integer     NOT NULL,
    reached  bigint      NOT NULL DEFAULT 0,
    checked  bigint      NOT NULL DEFAULT 0,
    drifted  bigint      NOT NULL DEFAULT 0,
    started  timestamptz NOT NULL DEFAULT now(),
    ended    timestamptz,
    error    text        NOT NULL DEFAULT ''
);
CREATE INDEX audits_running ON audits (id) WHERE state = 'running';
CREATE TABLE drift (
    audit      bigint   NOT NULL,
    seq        bigint   NOT NULL GENERATED ALWAYS AS IDENTITY,
    aspect     text     NOT NULL,
    name       text     NOT NULL,
    kind       text     NOT NULL,
    doc        bigint   NOT NULL,
    other      bigint   NOT NULL DEFAULT 0,
    meant      bigint   NOT NULL DEFAULT 0,
    path       text     NOT NULL DEFAULT '',
    other_path text     NOT NULL DEFAULT '',
    stored     jsonb,
    expected   jsonb,
    since      timestamptz,
    mended     timestamptz,
    PRIMARY KEY (audit, seq)
);
