-- +goose Up
-- When somebody looked at a template last, and in which state it was; and the visit before this one.
create table looks (
  document_id     uuid not null references documents (id) on delete cascade,
  person_id       uuid not null references people (id) on delete cascade,
  revision        bigint not null,
  at              timestamptz not null default now(),
  before_revision bigint,
  before_at       timestamptz,
  primary key (document_id, person_id)
);

-- +goose Down
drop table looks;
