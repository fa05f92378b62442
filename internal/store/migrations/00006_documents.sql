-- +goose Up
-- Templates, catalogues and what comes after them are documents of one engine.
alter table templates rename to documents;
alter index templates_studio rename to documents_studio;
alter index templates_catalogue rename to documents_catalogue;
alter index templates_of rename to documents_of;
alter table documents rename column of_template to of_document;
alter table documents rename constraint templates_kind_check to documents_kind_check;
alter table documents add column about jsonb not null default '{}'; -- what is told of it without opening it
alter table documents add column key uuid unique; -- of the request that made it

alter table snapshots rename column template_id to document_id;
alter table versions rename column template_id to document_id;
alter index versions_template rename to versions_document;

-- A change bears the key of the request that made it, so that none is made twice.
alter table changes rename column template_id to document_id;
alter table changes add column key uuid;
create unique index changes_key on changes (key);

-- What requests were answered with, by their key.
create table answers (
  key       uuid primary key,
  person_id uuid not null references people (id) on delete cascade,
  status    int not null,
  media     text not null,
  body      bytea not null,
  made_at   timestamptz not null default now()
);
create index answers_made on answers (made_at);

-- The set of instruments that shall be ready has revisions of its own.
alter table wanted rename column template_id to document_id;
alter table wanted add column awaited boolean not null default false; -- of the last call: these load first
create table running (
  document_id uuid primary key references documents (id) on delete cascade,
  revision    bigint not null
);

-- Servers hear of what others have written.
-- +goose StatementBegin
create function tell_document() returns trigger as $$
begin
  perform pg_notify('fanfold', tg_argv[0] || ' ' || new.id || ' ' || new.revision);
  return null;
end
$$ language plpgsql;
-- +goose StatementEnd
create trigger documents_told after insert or update of revision on documents
  for each row execute function tell_document('document');
create trigger documents_locked after update of locked on documents
  for each row execute function tell_document('locked');
-- +goose StatementBegin
create function tell_running() returns trigger as $$
begin
  perform pg_notify('fanfold', 'running ' || new.document_id || ' ' || new.revision);
  return null;
end
$$ language plpgsql;
-- +goose StatementEnd
create trigger running_told after insert or update on running
  for each row execute function tell_running();

-- +goose Down
drop table running;
alter table wanted drop column awaited;
alter table wanted rename column document_id to template_id;
drop table answers;
alter table changes drop column key;
alter table changes rename column document_id to template_id;
alter index versions_document rename to versions_template;
alter table versions rename column document_id to template_id;
alter table snapshots rename column document_id to template_id;
drop trigger documents_told on documents;
drop trigger documents_locked on documents;
drop function tell_document;
drop function tell_running;
alter table documents drop column key;
alter table documents drop column about;
alter table documents rename constraint documents_kind_check to templates_kind_check;
alter table documents rename column of_document to of_template;
alter index documents_of rename to templates_of;
alter index documents_catalogue rename to templates_catalogue;
alter index documents_studio rename to templates_studio;
alter table documents rename to templates;
