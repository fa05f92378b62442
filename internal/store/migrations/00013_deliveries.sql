-- +goose Up
-- What was handed over: which prints, to whom, when, and by which link.
create table deliveries (
  id         uuid primary key,
  studio_id  uuid not null references studios (id) on delete cascade,
  template   uuid not null references documents (id) on delete cascade,
  title      text not null,
  receiver   text not null,
  note       text not null default '',
  folders    text not null,
  listening  boolean not null, -- with a FLAC copy of each mix, to be listened to
  content    jsonb not null, -- the prints with their files, as they were handed over
  author_id  uuid references people (id) on delete set null,
  token      bytea unique, -- the SHA-256 of what the link says; null for no link
  ends_at    timestamptz, -- of the link
  fetched    int not null default 0, -- how often the whole package was
  fetched_at timestamptz,
  created_at timestamptz not null default now()
);
create index deliveries_of_template on deliveries (template, created_at desc);

-- The prints of a delivery that are still kept.
create table delivery_prints (
  delivery_id uuid not null references deliveries (id) on delete cascade,
  print_id    uuid not null references prints (id) on delete cascade,
  place       int not null,
  primary key (delivery_id, print_id)
);
create index delivery_prints_of_print on delivery_prints (print_id);

-- +goose Down
drop table delivery_prints;
drop table deliveries;
