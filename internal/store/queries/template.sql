-- name: TemplateInsert :one
insert into templates (studio_id, name) values (@studio_id, @name) returning *;

-- name: TemplateGet :one
select * from templates where id = @id and studio_id = @studio_id;

-- name: TemplateList :many
select * from templates where studio_id = @studio_id and kind = 'template' order by created_at;

-- name: TemplateAll :many
select * from templates where kind <> 'version' order by created_at;

-- name: TemplateAdvance :execrows
update templates set revision = revision + 1, name = @name where id = @id and revision = @base;

-- name: SnapshotInsert :exec
insert into snapshots (template_id, revision, body) values (@template_id, @revision, @body)
on conflict do nothing;

-- name: SnapshotLatest :one
select * from snapshots where template_id = @template_id order by revision desc limit 1;

-- name: ChangeInsert :exec
insert into changes (template_id, revision, author_id, role, target, label, change, inverse)
values (@template_id, @revision, @author_id, @role, @target, @label, @change, @inverse);

-- name: ChangesAfter :many
select * from changes where template_id = @template_id and revision > @revision order by revision;

-- name: ChangeGet :one
select * from changes where template_id = @template_id and revision = @revision;

-- name: WantedList :many
select instrument_id from wanted where template_id = @template_id;

-- name: WantedAdd :exec
insert into wanted (template_id, instrument_id)
select @template_id, unnest(@instrument_ids::text[]) on conflict do nothing;

-- name: WantedRemove :exec
delete from wanted where template_id = @template_id and instrument_id = any (@instrument_ids::text[]);

-- name: CatalogueGet :one
select * from templates where studio_id = @studio_id and kind = 'catalogue';

-- name: CatalogueInsert :one
insert into templates (studio_id, name, kind) values (@studio_id, @name, 'catalogue') returning *;
