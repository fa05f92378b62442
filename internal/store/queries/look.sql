-- name: Look :one
-- Somebody looks at a document. After half an hour away, that is another visit.
insert into looks (document_id, person_id, revision) values (@document_id, @person_id, @revision)
on conflict (document_id, person_id) do update set
  before_revision = case when looks.at < now() - interval '30 minutes' then looks.revision else looks.before_revision end,
  before_at = case when looks.at < now() - interval '30 minutes' then looks.at else looks.before_at end,
  revision = greatest(looks.revision, excluded.revision), at = now()
returning before_revision, before_at;

-- name: ChangesByOthers :many
select c.revision, c.made_at, p.name as author, c.label
from changes c join people p on p.id = c.author_id
where c.document_id = @document_id and c.revision > @after and c.author_id <> @person_id
order by c.revision desc limit @most;
