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
