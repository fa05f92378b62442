-- +goose Up
-- A studio that was deleted goes for good at a day; until then it can be kept.
alter table studios add column ends_at timestamptz;

-- +goose Down
alter table studios drop column ends_at;
