-- +goose Up
-- A template that was deleted goes for good at a day; until then it can be brought back.
alter table documents add column ends_at timestamptz;
alter table documents add constraint documents_ends check (ends_at is null or kind = 'template');

-- +goose Down
alter table documents drop constraint documents_ends;
alter table documents drop column ends_at;
