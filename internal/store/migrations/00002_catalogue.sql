-- +goose Up
-- A studio's catalogue is a document of its own beside its templates, with the
-- same log of changes.
alter table templates add column kind text not null default 'template' check (kind in ('template', 'catalogue'));
create unique index templates_catalogue on templates (studio_id) where kind = 'catalogue';

-- A change that only follows what was changed elsewhere is nobody's to undo.
alter table changes drop constraint changes_role_check;
alter table changes add constraint changes_role_check check (role in ('do', 'undo', 'redo', 'follow'));

-- One scan of a folder.
create table scans (
  id         uuid primary key default gen_random_uuid(),
  studio_id  uuid not null references studios (id) on delete cascade,
  author_id  uuid not null references people (id),
  job_id     bigint not null default 0, -- of the queue, to stop it
  machine    text not null default '', -- whose folder; empty for the server's
  folder     text not null,
  library    text not null,
  preload_kib int not null,
  zone_bytes int not null,
  state      text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'stopped', 'failed')),
  files_done int not null default 0,
  files      int not null default 0,
  patches    int not null default 0,
  unchanged  int not null default 0,
  broken     jsonb not null default '[]', -- [{"file", "reason"}], the first thousand
  broken_count int not null default 0,
  reason     text not null default '',
  created_at timestamptz not null default now(),
  ended_at   timestamptz
);
create index scans_studio on scans (studio_id, created_at);

-- What a scan knows of a file, so that only changed files are read again.
create table scanned_files (
  studio_id   uuid not null references studios (id) on delete cascade,
  folder      text not null,
  file        text not null,
  policy      text not null,  -- how sizes were counted
  fingerprint text not null,  -- sizes and times of all files behind it
  found       jsonb not null, -- the patches measured
  primary key (studio_id, folder, file)
);

-- +goose Down
drop table scanned_files;
drop table scans;
alter table changes drop constraint changes_role_check;
delete from changes where role = 'follow';
alter table changes add constraint changes_role_check check (role in ('do', 'undo', 'redo'));
delete from templates where kind = 'catalogue';
drop index templates_catalogue;
alter table templates drop column kind;
