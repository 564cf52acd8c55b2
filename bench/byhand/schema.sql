CREATE SCHEMA byhand;
SET search_path = byhand;

CREATE TABLE members (
    id              text PRIMARY KEY,
    handle          text NOT NULL UNIQUE,
    name            text NOT NULL,
    portrait        text,
    follower_count  integer NOT NULL DEFAULT 0,
    following_count integer NOT NULL DEFAULT 0,
    sighting_count  integer NOT NULL DEFAULT 0,
    birds_seen      bigint  NOT NULL DEFAULT 0,
    most_at_once    integer,
    muted           boolean NOT NULL DEFAULT false,
    created         timestamptz NOT NULL DEFAULT clock_timestamp()
);

CREATE TABLE sightings (
    id              text PRIMARY KEY,
    author          text NOT NULL REFERENCES members,
    author_handle   text NOT NULL,
    author_name     text NOT NULL,
    author_portrait text,
    text            text NOT NULL,
    birds           integer,
    like_count      integer NOT NULL DEFAULT 0,
    remark_count    integer NOT NULL DEFAULT 0,
    hidden          boolean NOT NULL DEFAULT false,
    created         timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX ON sightings (author, created DESC);
-- Its lists: everyone's newest, the largest flocks, those that mention a word.
CREATE INDEX ON sightings (created DESC, id DESC);
CREATE INDEX ON sightings (birds DESC);
CREATE INDEX ON sightings USING gin (to_tsvector('simple', text));

CREATE TABLE likes (
    sighting text NOT NULL REFERENCES sightings,
    member   text NOT NULL REFERENCES members,
    created  timestamptz NOT NULL DEFAULT clock_timestamp(),
    PRIMARY KEY (sighting, member)
);
CREATE INDEX ON likes (member, created);

CREATE TABLE follows (
    follower text NOT NULL REFERENCES members,
    followed text NOT NULL REFERENCES members,
    created  timestamptz NOT NULL DEFAULT clock_timestamp(),
    PRIMARY KEY (follower, followed)
);
CREATE INDEX ON follows (followed, follower);

CREATE TABLE blocks (
    blocker text NOT NULL REFERENCES members,
    blocked text NOT NULL REFERENCES members,
    PRIMARY KEY (blocker, blocked)
);
CREATE INDEX ON blocks (blocked, blocker);

-- Whom a member follows and does not want to hear of.
CREATE TABLE hushes (
    member text NOT NULL REFERENCES members,
    hushed text NOT NULL REFERENCES members,
    PRIMARY KEY (member, hushed)
);

CREATE TABLE timeline (
    owner    text NOT NULL,
    created  timestamptz NOT NULL,
    sighting text NOT NULL,
    author   text NOT NULL,
    PRIMARY KEY (owner, created, sighting)
);
