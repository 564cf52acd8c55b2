-- Who calls: operator keys, sessions, passwords and those who are signed in.
-- Operator keys. A key itself is nowhere: it was shown once.
CREATE TABLE operator_keys (
    id      text        PRIMARY KEY,
    name    text        NOT NULL,
    scope   text        NOT NULL,   -- read, write, operate: each may do what those before it may
    hash    bytea       NOT NULL,   -- SHA-256 of its secret, which is as random as the hash is long
    made    timestamptz NOT NULL DEFAULT now(),
    used    timestamptz,            -- the minute in which it was used last
    revoked timestamptz
);

-- What stands for a key in a browser: sessions of the console, and links that begin one once.
CREATE TABLE key_sessions (
    hash    bytea       PRIMARY KEY,   -- SHA-256 of the cookie's value, or of the link's
    key     text        NOT NULL REFERENCES operator_keys ON DELETE CASCADE,
    once    boolean     NOT NULL,      -- a link
    expires timestamptz NOT NULL
);

-- Passwords of accounts that the built-in issuer signs in.
CREATE TABLE passwords (
    account bigint      PRIMARY KEY,   -- documents.n, which no later account gets
    hash    text        NOT NULL,      -- argon2id, with its salt and cost
    changed timestamptz NOT NULL DEFAULT now()
);

-- Accounts that are signed in, each until its refresh token has not been used for long.
CREATE TABLE sign_ins (
    id      text        PRIMARY KEY,
    account bigint      NOT NULL,   -- documents.n
    token   bytea       NOT NULL,   -- SHA-256 of the refresh token that holds
    before  bytea,                  -- and of the one it has replaced
    rotated timestamptz NOT NULL DEFAULT now(),
    made    timestamptz NOT NULL DEFAULT now(),
    expires timestamptz NOT NULL
);
CREATE INDEX sign_ins_of ON sign_ins (account);

-- Wrong passwords lately, by what they have in common: an account's name, an address.
CREATE TABLE guesses (
    bucket integer     PRIMARY KEY,   -- of a hash: so many rows at most, whatever is sent
    wrong  integer     NOT NULL,
    latest timestamptz NOT NULL DEFAULT now(),
    until  timestamptz NOT NULL DEFAULT now()   -- no other try before
);

INSERT INTO settings (name, value) VALUES ('token_key', replace(gen_random_uuid()::text || gen_random_uuid()::text, '-', ''));
