-- name: ShareInsert :exec
insert into shares (id, studio_id, template, kind, receiver, token, author_id, ends_at)
values (@id, @studio_id, @template, @kind, @receiver, @token, @author_id, @ends_at);

-- name: LinkList :many
-- All links of a studio by which people outside read something, those of deliveries too.
select s.id, s.kind, s.template, d.name as title, s.receiver, coalesce(a.name, '')::text as author, s.created_at, s.ends_at, s.opened, s.opened_at
from shares s join documents d on d.id = s.template left join people a on a.id = s.author_id
where s.studio_id = @studio_id and s.ends_at > now()
union all
select v.id, 'delivery', v.template, v.title, v.receiver, coalesce(a.name, '')::text, v.created_at, v.ends_at, v.fetched, v.fetched_at
from deliveries v left join people a on a.id = v.author_id
where v.studio_id = @studio_id and v.token is not null and v.ends_at > now()
order by 7 desc, 1;

-- name: ShareOfLink :one
select s.*, coalesce(a.name, '')::text as author
from shares s join documents d on d.id = s.template left join people a on a.id = s.author_id
where s.token = @token and s.ends_at > now() and d.ends_at is null;

-- name: ShareGet :one
select * from shares where id = @id and studio_id = @studio_id;

-- name: ShareOpened :exec
update shares set opened = opened + 1, opened_at = now() where id = @id;

-- name: ShareEnd :execrows
delete from shares where id = @id and studio_id = @studio_id;

-- name: SharesForget :exec
delete from shares where ends_at < now();
