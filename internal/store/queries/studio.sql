-- name: StudioInsert :one
insert into studios (name) values (@name) returning *;

-- name: PersonInsert :one
insert into people (studio_id, email, name, password_hash)
values (@studio_id, @email, @name, @password_hash) returning *;

-- name: PersonByEmail :one
select * from people where lower(email) = lower(@email);

-- name: PersonGet :one
select people.*, studios.name as studio_name from people join studios on studios.id = people.studio_id where people.id = @id;

-- name: CredentialInsert :one
insert into host_credentials (studio_id, machine, token_hash) values (@studio_id, @machine, @token_hash) returning *;

-- name: CredentialList :many
select * from host_credentials order by created_at;

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
select * from host_credentials where token_hash = @token_hash;

-- name: CredentialGet :one
select * from host_credentials where id = @id;
