-- +goose Up
-- The servers that run on this database. One that runs holds an advisory lock by
-- its ID, too, which ends with its connection.
create table servers (
  id         uuid primary key,
  name       text not null, -- of its machine and process, for people
  nats       text not null, -- the address of the NATS it shares with others; empty for one of its own
  started_at timestamptz not null default now(),
  seen_at    timestamptz not null default now()
);

-- Which server drives which machine, where there are several.
create table leases (
  studio_id uuid not null references studios (id) on delete cascade,
  machine   text not null, -- the machine's name
  server_id uuid not null,
  until     timestamptz not null,
  primary key (studio_id, machine)
);

-- A scan that runs has an owner, who says again and again that it goes on.
alter table scans add column owner uuid;
alter table scans add column beat_at timestamptz;
alter table scans add column key uuid unique; -- of the request that began it

-- +goose StatementBegin
create function tell_row() returns trigger as $$
begin
  perform pg_notify('fanfold', tg_argv[0] || ' ' || coalesce(new.id, old.id) || ' 0');
  return null;
end
$$ language plpgsql;
-- +goose StatementEnd
create trigger scans_told after insert or update of state, files_done on scans
  for each row execute function tell_row('scan');
create trigger credentials_told after insert or delete on host_credentials
  for each row execute function tell_row('credential');

-- Who signs out on one server is signed out on all. The token itself is not told.
-- +goose StatementBegin
create function tell_session() returns trigger as $$
begin
  perform pg_notify('fanfold', 'session ' || md5(old.token) || ' 0');
  return null;
end
$$ language plpgsql;
-- +goose StatementEnd
create trigger sessions_told after delete on sessions for each row execute function tell_session();

-- +goose Down
drop trigger sessions_told on sessions;
drop function tell_session;
drop trigger credentials_told on host_credentials;
drop trigger scans_told on scans;
drop function tell_row;
alter table scans drop column key;
alter table scans drop column beat_at;
alter table scans drop column owner;
drop table leases;
drop table servers;
