-- +goose Up
-- Recorded audio of printed instruments, each file once in a studio, by its
-- SHA-256.
create table recordings (
  id         uuid primary key default gen_random_uuid(),
  studio_id  uuid not null references studios (id) on delete cascade,
  sha256     text not null,
  bytes      bigint not null,
  created_at timestamptz not null default now(),
  unique (studio_id, sha256)
);

create table recording_parts (
  recording_id uuid not null references recordings (id) on delete cascade deferrable initially deferred,
  part         int not null, -- from 0; all but the last are of one size
  data         bytea not null,
  primary key (recording_id, part)
);
alter table recording_parts alter column data set storage external; -- audio does not compress

-- +goose Down
drop table recording_parts;
drop table recordings;
