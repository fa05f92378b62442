-- +goose Up
create table studios (
  id         uuid primary key default gen_random_uuid(),
  name       text not null,
  created_at timestamptz not null default now()
);

create table people (
  id            uuid primary key default gen_random_uuid(),
  studio_id     uuid not null references studios (id) on delete cascade,
  email         text not null,
  name          text not null,
  password_hash text not null, -- argon2id, encoded with its parameters
  created_at    timestamptz not null default now()
);
create unique index people_email on people (lower(email));

-- The layout the session library's pgx store asks for.
create table sessions (
  token  text primary key,
  data   bytea not null,
  expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

create table templates (
  id         uuid primary key default gen_random_uuid(),
  studio_id  uuid not null references studios (id) on delete cascade,
  name       text not null,
  revision   bigint not null default 0,
  created_at timestamptz not null default now()
);
create index templates_studio on templates (studio_id);

-- A template at one revision; the changes after it rebuild the present.
create table snapshots (
  template_id uuid not null references templates (id) on delete cascade,
  revision    bigint not null,
  body        bytea not null, -- the template file
  primary key (template_id, revision)
);

create table changes (
  template_id uuid not null references templates (id) on delete cascade,
  revision    bigint not null,
  author_id   uuid not null references people (id),
  made_at     timestamptz not null default now(),
  role        text not null check (role in ('do', 'undo', 'redo')),
  target      bigint, -- the revision an undo or redo takes back
  label       text not null,
  change      jsonb not null,
  inverse     jsonb not null,
  primary key (template_id, revision)
);

-- What a host agent proves itself with.
create table host_credentials (
  id         uuid primary key default gen_random_uuid(),
  studio_id  uuid not null references studios (id) on delete cascade,
  machine    text not null, -- the machine's name
  token_hash bytea not null unique,
  created_at timestamptz not null default now()
);

-- The instruments that shall be ready: running state, not template.
create table wanted (
  template_id   uuid not null references templates (id) on delete cascade,
  instrument_id text not null,
  primary key (template_id, instrument_id)
);

-- +goose Down
drop table wanted;
drop table host_credentials;
drop table changes;
drop table snapshots;
drop table templates;
drop table sessions;
drop table people;
drop table studios;
