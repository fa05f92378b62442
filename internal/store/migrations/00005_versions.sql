-- +goose Up
-- A template can be locked against change. One of kind 'version' holds another
-- as it was at a revision, to be looked at; it is always locked.
alter table templates drop constraint templates_kind_check;
alter table templates add constraint templates_kind_check check (kind in ('template', 'catalogue', 'version'));
alter table templates add column locked boolean not null default false;
alter table templates add column of_template uuid references templates (id) on delete cascade;
alter table templates add column of_revision bigint;
create unique index templates_of on templates (of_template, of_revision) where kind = 'version';

-- A revision with a name.
create table versions (
  id          uuid primary key default gen_random_uuid(),
  template_id uuid not null references templates (id) on delete cascade,
  revision    bigint not null,
  name        text not null,
  note        text not null default '',
  author_id   uuid not null references people (id),
  created_at  timestamptz not null default now()
);
create index versions_template on versions (template_id, revision);

-- +goose Down
drop table versions;
delete from templates where kind = 'version';
alter table templates drop constraint templates_kind_check;
alter table templates add constraint templates_kind_check check (kind in ('template', 'catalogue'));
drop index templates_of;
alter table templates drop column of_revision;
alter table templates drop column of_template;
alter table templates drop column locked;
