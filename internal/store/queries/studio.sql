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

-- name: CredentialByHash :one
select * from host_credentials where token_hash = @token_hash;
