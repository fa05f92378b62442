-- +goose Up
-- Links by which people outside read a template or its handbook, as it is when they look.
create table shares (
  id         uuid primary key,
  studio_id  uuid not null references studios (id) on delete cascade,
  template   uuid not null references documents (id) on delete cascade,
  kind       text not null check (kind in ('template', 'handbook')),
  receiver   text not null,
  token      bytea not null unique, -- the SHA-256 of what the link says
  author_id  uuid references people (id) on delete set null,
  ends_at    timestamptz not null,
  opened     int not null default 0,
  opened_at  timestamptz,
  created_at timestamptz not null default now()
);
create index shares_of_studio on shares (studio_id);

-- +goose Down
drop table shares;
