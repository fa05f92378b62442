-- +goose Up
-- Credentials of hosts end, and hosts that can keep another secret are given one before that.
alter table host_credentials
  add column days int not null default 0, -- how long a secret is good; 0 without an end
  add column ends_at timestamptz,
  add column before_hash bytea unique, -- the secret before, until the host has shown the new one
  add column before_until timestamptz;

-- +goose Down
alter table host_credentials drop column days, drop column ends_at, drop column before_hash, drop column before_until;
