-- +goose Up
-- Sessions that a sequencer saved, as they were read against a template.
create table session_files (
  id         uuid primary key,
  studio_id  uuid not null references studios (id) on delete cascade,
  template   uuid not null references documents (id) on delete cascade,
  name       text not null, -- of the file
  session    bytea not null, -- as JSON, packed with gzip; without notes
  answers    jsonb not null default '{}', -- to what was unsure
  author_id  uuid references people (id) on delete set null,
  created_at timestamptz not null default now()
);
create index session_files_of_template on session_files (template, created_at desc);

-- +goose Down
drop table session_files;
