-- +goose Up
-- Prints: the stems and the mix of a piece as audio, printed here or recorded elsewhere, with
-- their proof. The audio itself lies in the audio store, by its SHA-256.
create table prints (
  id         uuid primary key,
  studio_id  uuid not null references studios (id) on delete cascade,
  template   uuid not null references documents (id) on delete cascade,
  production uuid references documents (id) on delete set null,
  cue        text not null default '', -- of the production; empty for none
  title      text not null,
  version    int not null,
  recorded   boolean not null, -- elsewhere
  ask        jsonb not null,
  revision   bigint not null default 0, -- of the template, from which it was printed
  author_id  uuid references people (id) on delete set null,
  state      text not null check (state in ('taking', 'waiting', 'running', 'proving', 'done', 'stopped', 'failed')),
  reason     text not null default '',
  done_s     double precision not null default 0,
  of_s       double precision not null default 0,
  job_id     bigint,
  owner      uuid, -- the server that works on it
  beat_at    timestamptz,
  line       text not null default '', -- its proof in one line
  faults     int not null default 0,
  report     jsonb, -- its proof
  created_at timestamptz not null default now(),
  began_at   timestamptz,
  ended_at   timestamptz
);
create index prints_of_template on prints (template, created_at desc);

create table print_files (
  print_id uuid not null references prints (id) on delete cascade,
  number   int not null, -- from 0
  path     text not null, -- the name of the file
  bus      text not null default '', -- the stem or mix that it is; empty for none
  stem     text not null default '', -- its name
  role     text not null,
  how      text not null default '', -- it was matched
  sha256   text not null,
  bytes    bigint not null,
  primary key (print_id, number),
  unique (print_id, path)
);

-- What people said that recorded files are, by the key of their names: it holds for the next
-- recording.
create table print_matches (
  template uuid not null references documents (id) on delete cascade,
  key      text not null,
  says     text not null, -- a bus, or a role
  primary key (template, key)
);

-- +goose Down
drop table print_matches;
drop table print_files;
drop table prints;
