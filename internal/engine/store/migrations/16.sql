-- Designs that somebody works on: text that nothing is derived from.
CREATE TABLE drafts (
    name    text PRIMARY KEY,
    edition bigint      NOT NULL,             -- goes up whenever it is kept
    base    integer     NOT NULL,             -- the version of the design that it began from; 0: none
    source  text        NOT NULL,
    author  text        NOT NULL,             -- who kept it last
    changed timestamptz NOT NULL DEFAULT now()
);
