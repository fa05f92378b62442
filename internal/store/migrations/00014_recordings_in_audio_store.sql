-- +goose Up
-- Where a recording lies: its bytes in recording_parts, or in the audio store by its SHA-256.
-- Those that are no audio (the music of cues) stay in the database.
alter table recordings add column place text not null default 'new'
  check (place in ('new', 'database', 'audio')); -- new: in the database, nobody has looked yet whether it moves
create index recordings_new on recordings (created_at) where place = 'new';

-- +goose Down
drop index recordings_new;
alter table recordings drop column place;
