-- name: MemberList :many
select p.id, p.name, p.email, p.role, p.created_at,
  coalesce((select max(s.began_at) from sessions s where s.person_id = p.id and s.expiry > now()), 'epoch')::timestamptz as seen_at
from people p where p.studio_id = @studio_id and p.left_at is null order by p.created_at, p.id;

-- name: MemberLock :many
-- The owners of a studio, held until the transaction ends, so that the last one stays.
select id from people where studio_id = @studio_id and role = 'owner' and left_at is null order by id for update;

-- name: MemberSetRole :execrows
update people set role = @role where id = @id and studio_id = @studio_id and left_at is null;

-- name: MemberLeave :execrows
update people set left_at = now(), password_hash = '', code_key = '' where id = @id and studio_id = @studio_id and left_at is null;

-- name: MemberGet :one
select * from people where id = @id and studio_id = @studio_id and left_at is null;

-- name: MemberComes :one
-- Somebody new, or somebody of this studio who had left.
insert into people (studio_id, email, name, password_hash, role) values (@studio_id, @email, @name, @password_hash, @role)
on conflict (lower(email)) do update set name = excluded.name, password_hash = excluded.password_hash, role = excluded.role, left_at = null
  where people.studio_id = excluded.studio_id and people.left_at is not null
returning *;

-- name: PersonSetPassword :exec
update people set password_hash = @password_hash where id = @id;

-- name: InvitationInsert :exec
insert into invitations (id, studio_id, person_id, email, role, token, author_id, ends_at)
values (@id, @studio_id, @person_id, @email, @role, @token, @author_id, @ends_at);

-- name: InvitationList :many
select id, email, role, person_id, ends_at, created_at from invitations where studio_id = @studio_id and ends_at > now() order by created_at, id;

-- name: InvitationOfToken :one
select i.*, s.name as studio, coalesce(p.name, '')::text as person
from invitations i join studios s on s.id = i.studio_id left join people p on p.id = i.person_id
where i.token = @token and i.ends_at > now();

-- name: InvitationTake :execrows
-- It is good once.
delete from invitations where id = @id and ends_at > now();

-- name: InvitationEnd :execrows
delete from invitations where id = @id and studio_id = @studio_id;

-- name: InvitationsForget :exec
delete from invitations where ends_at < now();

-- name: SessionsOf :many
select token, agent, address, began_at, expiry from sessions where person_id = @person_id and expiry > now() order by began_at desc, token;

-- name: SessionsEndOf :many
-- All of a person's but one.
delete from sessions where person_id = @person_id and token <> @but returning token;
