-- +goose Up
-- Who is in a studio, and as what.
alter table people
  add column role text not null default 'owner' check (role in ('owner', 'arranger', 'assistant', 'reader')),
  add column left_at timestamptz; -- who has left stays as the author of what was done

-- Sessions know whose they are, so that a person can end their own.
alter table sessions
  add column person_id uuid references people (id) on delete cascade,
  add column agent text not null default '', -- the browser, as it says
  add column address text not null default '',
  add column began_at timestamptz not null default now();
create index sessions_person on sessions (person_id);

-- Invitations into a studio, and ways back in for who has forgotten a password.
create table invitations (
  id         uuid primary key,
  studio_id  uuid not null references studios (id) on delete cascade,
  person_id  uuid references people (id) on delete cascade, -- whose password is set anew; null for somebody new
  email      text not null,
  role       text not null check (role in ('owner', 'arranger', 'assistant', 'reader')),
  token      bytea not null unique, -- the SHA-256 of what the link says
  author_id  uuid references people (id) on delete set null,
  ends_at    timestamptz not null,
  created_at timestamptz not null default now()
);
create index invitations_of_studio on invitations (studio_id);

-- +goose Down
drop table invitations;
alter table sessions drop column person_id, drop column agent, drop column address, drop column began_at;
alter table people drop column role, drop column left_at;
