-- name: StudioInsert :one
insert into studios (name) values (@name) returning *;

-- name: PersonInsert :one
insert into people (studio_id, email, name, password_hash)
values (@studio_id, @email, @name, @password_hash) returning *;

-- name: PersonByEmail :one
select * from people where lower(email) = lower(@email) and left_at is null;

-- name: PersonWhole :one
select * from people where id = @id and left_at is null;

-- name: PersonGet :one
select people.*, studios.name as studio_name, studios.ends_at as studio_ends from people join studios on studios.id = people.studio_id where people.id = @id and people.left_at is null;

-- name: CredentialInsert :one
insert into host_credentials (studio_id, machine, token_hash, named, days, ends_at)
values (@studio_id, @machine, @token_hash, false, @days, now() + nullif(@days::int, 0) * interval '1 day') returning *;

-- name: CredentialsNamed :many
select distinct studio_id from host_credentials where named;

-- name: MachinesBind :exec
with machines as (select unnest(@ids::text[]) as id, unnest(@names::text[]) as name),
hosts as (
  update host_credentials c set machine = m.id, named = false from machines m
  where c.studio_id = @studio_id and c.named and c.machine = m.name
), learned as (
  update paces p set machine = m.id from machines m
  where p.studio_id = @studio_id and p.machine = m.name
  and not exists (select from paces o where o.studio_id = p.studio_id and o.machine = m.id)
)
update scans s set machine = m.id from machines m where s.studio_id = @studio_id and s.machine = m.name;

-- name: CredentialList :many
-- Those that are good.
select * from host_credentials where ends_at is null or ends_at > now() order by created_at;

-- name: CredentialConfirm :exec
-- The host has shown its new secret: the one before is worth nothing.
update host_credentials set before_hash = null, before_until = null where id = @id and token_hash = @token_hash and before_hash is not null;

-- name: CredentialRenew :execrows
-- Another secret; the one that the host has stays good for a day, until it has shown the new one.
update host_credentials set token_hash = @becomes, before_hash = @holds, before_until = now() + interval '1 day', ends_at = now() + days * interval '1 day'
where id = @id and (token_hash = @holds or before_hash = @holds and before_until > now()) and (ends_at is null or ends_at > now());

-- name: CredentialsOf :many
select * from host_credentials where studio_id = @studio_id and machine = @machine order by created_at;

-- name: CredentialDelete :execrows
delete from host_credentials where id = @id and studio_id = @studio_id;

-- name: CredentialSeen :exec
update host_credentials set seen_at = now() where id = @id;

-- name: PaceList :many
select * from paces;

-- name: PacePut :exec
insert into paces (studio_id, machine, computed, measured, loads) values (@studio_id, @machine, @computed, @measured, @loads)
on conflict (studio_id, machine) do update set computed = excluded.computed, measured = excluded.measured, loads = excluded.loads;

-- name: CredentialByHash :one
select * from host_credentials
where (token_hash = @token_hash or before_hash = @token_hash and before_until > now()) and (ends_at is null or ends_at > now());

-- name: CredentialGet :one
select * from host_credentials where id = @id;
