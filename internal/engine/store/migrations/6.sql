-- Designs change while the app runs.
ALTER TABLE numbers ADD COLUMN shape smallint;
ALTER TABLE documents ADD COLUMN shape smallint;
ALTER TABLE pairs ADD COLUMN shape smallint;
ALTER TABLE designs
    ADD COLUMN author text NOT NULL DEFAULT '',
    ADD COLUMN did jsonb;
CREATE TABLE builds (
    version integer  NOT NULL,
    nth     integer  NOT NULL,
    does    text     NOT NULL,
    aspect  text     NOT NULL DEFAULT '',
    name    text     NOT NULL,
    shows   text     NOT NULL DEFAULT '',
    number  smallint NOT NULL DEFAULT 0,
    reached bigint   NOT NULL DEFAULT 0,
    beside  bigint   NOT NULL DEFAULT 0,
    rows    bigint   NOT NULL DEFAULT 0,
    written bigint   NOT NULL DEFAULT 0,
    total   bigint   NOT NULL DEFAULT 0,
    spent   double precision NOT NULL DEFAULT 0,
    began   timestamptz,
    ended   timestamptz,
    error   text     NOT NULL DEFAULT '',
    PRIMARY KEY (version, nth)
);
CREATE INDEX builds_left ON builds (version, nth) WHERE ended IS NULL;
CREATE TABLE misfits (
    subject smallint NOT NULL,
    doc     bigint   NOT NULL,
    other   bigint   NOT NULL DEFAULT 0,
    stamp   bigint   NOT NULL,
    field   text     NOT NULL,
    code    text     NOT NULL,
    pointer text     NOT NULL,
    detail  text     NOT NULL,
    PRIMARY KEY (subject, field, code, doc, other, pointer)
);
CREATE INDEX misfits_of ON misfits (doc);
CREATE TABLE brought (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at     timestamptz NOT NULL DEFAULT now(),
    report jsonb       NOT NULL
);
ALTER TABLE audits
    ADD COLUMN design integer NOT NULL DEFAULT 0,
    ADD COLUMN left_out text NOT NULL DEFAULT '';
