-- name: SnapshotBefore :one
select * from snapshots where template_id = @template_id and revision <= @revision order by revision desc limit 1;

-- name: ChangesBetween :many
select * from changes where template_id = @template_id and revision > @after and revision <= @upto order by revision;

-- name: HistoryPage :many
select c.revision, c.author_id, p.name as author, c.made_at, c.role, c.target, c.label
from changes c join people p on p.id = c.author_id
where c.template_id = @template_id and c.revision < @before order by c.revision desc limit @most;

-- name: VersionInsert :one
insert into versions (template_id, revision, name, note, author_id)
values (@template_id, @revision, @name, @note, @author_id) returning *;

-- name: VersionList :many
select v.*, p.name as author from versions v join people p on p.id = v.author_id
where v.template_id = @template_id order by v.revision desc, v.created_at desc;

-- name: VersionGet :one
select * from versions where id = @id and template_id = @template_id;

-- name: VersionDelete :execrows
delete from versions where id = @id and template_id = @template_id;

-- name: TemplateLock :execrows
update templates set locked = @locked where id = @id and studio_id = @studio_id and kind = 'template';

-- name: VersionTemplate :one
select * from templates where of_template = @of_template and of_revision = @of_revision and kind = 'version';

-- name: VersionTemplateInsert :one
insert into templates (studio_id, name, kind, locked, of_template, of_revision)
values (@studio_id, @name, 'version', true, @of_template, @of_revision) returning *;
