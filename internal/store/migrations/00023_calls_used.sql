-- +goose Up
-- When each call of a template was last made.
create table calls_used (
  document_id uuid not null references documents (id) on delete cascade,
  call_id     text not null,
  used_at     timestamptz not null default now(),
  primary key (document_id, call_id)
);

-- +goose Down
drop table calls_used;
