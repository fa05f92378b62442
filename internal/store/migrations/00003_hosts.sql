-- +goose Up
-- When a host was last heard.
alter table host_credentials add column seen_at timestamptz;

-- What measured loads have taught of each machine: how long they were computed
-- to take, and how long they took, in seconds, older ones counting less.
create table paces (
  studio_id uuid not null references studios (id) on delete cascade,
  machine   text not null, -- the machine's name
  computed  double precision not null,
  measured  double precision not null,
  loads     int not null,
  primary key (studio_id, machine)
);

-- +goose Down
drop table paces;
alter table host_credentials drop column seen_at;
