-- name: SessionFileInsert :exec
insert into session_files (id, studio_id, template, name, session, author_id)
values (@id, @studio_id, @template, @name, @session, @author_id);

-- name: SessionFileList :many
select f.id, f.name, f.created_at, coalesce(a.name, '')::text as author
from session_files f left join people a on a.id = f.author_id
where f.template = @template and f.studio_id = @studio_id order by f.created_at desc, f.id;

-- name: SessionFileGet :one
select * from session_files where id = @id and template = @template and studio_id = @studio_id;

-- name: SessionFileAnswer :exec
update session_files set answers = @answers where id = @id and studio_id = @studio_id;

-- name: SessionFileForget :execrows
delete from session_files where id = @id and template = @template and studio_id = @studio_id;

-- name: SessionFileKeep :exec
-- Only the newest of a template are kept.
delete from session_files f where f.template = @template and f.id not in (
  select n.id from session_files n where n.template = @template order by n.created_at desc, n.id limit @most::int);
