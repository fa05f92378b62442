-- +goose Up
-- A host belongs to a machine of the studio, by its ID, so that its name can change.
-- Rows of before bear the name until the studio's machines are known.
alter table host_credentials add column named boolean not null default true;
comment on column host_credentials.machine is 'the ID of the machine in the catalogue; its name while named';
comment on column paces.machine is 'the ID of the machine in the catalogue';
comment on column leases.machine is 'the ID of the machine in the catalogue';
comment on column scans.machine is 'the ID of the machine in the catalogue; empty for the server';
drop trigger credentials_told on host_credentials;
create trigger credentials_told after insert or update of machine or delete on host_credentials
  for each row execute function tell_row('credential');

-- +goose Down
drop trigger credentials_told on host_credentials;
create trigger credentials_told after insert or delete on host_credentials
  for each row execute function tell_row('credential');
alter table host_credentials drop column named;
