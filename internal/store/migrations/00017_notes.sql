-- +goose Up
-- What was done that is no change of a document: who came in, who was let in, what was handed out or
-- deleted. It stays when people leave.
create table notes (
  id        bigint generated always as identity primary key,
  studio_id uuid not null references studios (id) on delete cascade,
  person_id uuid references people (id) on delete set null,
  name      text not null, -- of the person, as they were called
  what      text not null, -- in words
  about     text not null default '', -- whom or what
  address   text not null default '', -- from where
  at        timestamptz not null default now()
);
create index notes_of_studio on notes (studio_id, id desc);

-- +goose Down
drop table notes;
