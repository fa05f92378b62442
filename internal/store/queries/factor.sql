-- name: CodesSet :exec
-- From now on codes are asked for; those of before are worth nothing.
update people set code_key = @code_key, code_step = @code_step where id = @id;

-- name: CodeTake :execrows
-- None is good twice, nor one from before the last.
update people set code_step = @step where id = @id and code_key <> '' and code_step < @step;

-- name: SpareCodePut :exec
insert into spare_codes (person_id, kept) values (@person_id, @kept);

-- name: SpareCodeTake :execrows
delete from spare_codes where person_id = @person_id and kept = @kept;

-- name: SpareCodesForget :exec
delete from spare_codes where person_id = @person_id;

-- name: SpareCodesCount :one
select count(*) from spare_codes where person_id = @person_id;

-- name: PasskeyInsert :exec
insert into passkeys (id, person_id, name, place, handle, credential, record) values (@id, @person_id, @name, @place, @handle, @credential, @record);

-- name: PasskeysOf :many
select * from passkeys where person_id = @person_id order by created_at, id;

-- name: PasskeyGet :one
select * from passkeys where id = @id and person_id = @person_id;

-- name: PasskeyByCredential :one
select k.* from passkeys k join people p on p.id = k.person_id where k.credential = @credential and p.left_at is null;

-- name: PasskeyUsed :exec
update passkeys set record = @record, used_at = now() where id = @id;

-- name: PasskeyDelete :execrows
delete from passkeys where id = @id and person_id = @person_id;

-- name: PasskeysForget :exec
delete from passkeys where person_id = @person_id;
