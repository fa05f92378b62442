-- +goose Up
-- Productions are documents too: films that are scored.
alter table documents drop constraint documents_kind_check;
alter table documents add constraint documents_kind_check check (kind in ('template', 'catalogue', 'version', 'production'));

-- +goose Down
delete from documents where kind = 'production';
alter table documents drop constraint documents_kind_check;
alter table documents add constraint documents_kind_check check (kind in ('template', 'catalogue', 'version'));
