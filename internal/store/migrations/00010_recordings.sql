-- Recordings that nothing plays are let go of after a while.

-- +goose Up
alter table recordings add column idle_since timestamptz; -- since when nothing plays it; null while something does

-- +goose Down
alter table recordings drop column idle_since;
