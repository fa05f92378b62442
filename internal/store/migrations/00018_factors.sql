-- +goose Up
-- Codes at sign-in, as in RFC 6238, and passkeys.
alter table people
  add column code_key text not null default '', -- the secret that codes are made of, in base32; empty where none are asked for
  add column code_step bigint not null default 0; -- of the last code that was taken: none is good twice

-- Codes for when the device that makes them is not at hand; each is good once.
create table spare_codes (
  person_id uuid not null references people (id) on delete cascade,
  kept      bytea not null, -- the SHA-256 of the code
  primary key (person_id, kept)
);

create table passkeys (
  id         uuid primary key,
  person_id  uuid not null references people (id) on delete cascade,
  name       text not null,
  place      text not null, -- the server's name that it was made for
  handle     bytea not null, -- what the device knows the person by
  credential bytea not null unique, -- its ID
  record     jsonb not null, -- what has to be known to check it; no secret
  created_at timestamptz not null default now(),
  used_at    timestamptz
);
create index passkeys_of_person on passkeys (person_id);

-- +goose Down
drop table passkeys;
drop table spare_codes;
alter table people drop column code_key, drop column code_step;
