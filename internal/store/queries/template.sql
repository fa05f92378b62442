-- name: TemplateList :many
-- The templates of a studio, those changed last first, with who changed each.
select d.id, d.name, d.revision, d.about, d.locked, d.ends_at, coalesce(c.made_at, d.created_at)::timestamptz as changed_at, coalesce(p.name, '')::text as changed_by
from documents d
left join lateral (select made_at, author_id from changes c where c.document_id = d.id order by c.revision desc limit 1) c on true
left join people p on p.id = c.author_id
where d.studio_id = @studio_id and d.kind = 'template'
order by changed_at desc, d.id;

-- name: TemplateEnd :execrows
update documents set ends_at = @ends_at, locked = true where id = @id and studio_id = @studio_id and kind = 'template' and ends_at is null;

-- name: TemplateStay :execrows
update documents set ends_at = null, locked = false where id = @id and studio_id = @studio_id and kind = 'template' and ends_at is not null;

-- name: TemplatesRemove :execrows
-- What was printed and delivered stays, and the template with it.
delete from documents d where d.kind = 'template' and d.ends_at <= now()
and not exists (select from prints p where p.template = d.id) and not exists (select from deliveries v where v.template = d.id);
