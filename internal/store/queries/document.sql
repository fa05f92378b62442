-- name: DocumentInsert :one
insert into documents (id, studio_id, name, kind, about, locked, of_document, of_revision, key)
values (coalesce(sqlc.narg(id), gen_random_uuid()), @studio_id, @name, @kind, @about, @locked, sqlc.narg(of_document), sqlc.narg(of_revision), sqlc.narg(key)) returning *;

-- name: DocumentGet :one
select * from documents where id = @id and studio_id = @studio_id;

-- name: DocumentByKey :one
select * from documents where key = @key and studio_id = @studio_id;

-- name: DocumentList :many
select * from documents where studio_id = @studio_id and kind = @kind order by created_at, id;

-- name: DocumentAll :many
select id, studio_id, kind, revision, about from documents where kind <> 'version' order by created_at, id;

-- name: DocumentOnly :one
select * from documents where studio_id = @studio_id and kind = @kind order by created_at limit 1;

-- name: DocumentLock :execrows
update documents set locked = @locked where id = @id and studio_id = @studio_id and kind <> 'version' and (ends_at is null or @locked);

-- name: VersionDocument :one
select * from documents where of_document = @of_document and of_revision = @of_revision and kind = 'version';

-- name: SnapshotInsert :exec
insert into snapshots (document_id, revision, body) values (@document_id, @revision, @body)
on conflict do nothing;

-- name: SnapshotBefore :one
select * from snapshots where document_id = @document_id and revision <= @revision order by revision desc limit 1;

-- name: SnapshotLast :one
select max(revision)::bigint from snapshots where document_id = @document_id;

-- name: ChangesBetween :many
select c.*, p.name as author from changes c join people p on p.id = c.author_id
where c.document_id = @document_id and c.revision > @after and c.revision <= @upto order by c.revision;

-- name: ChangeByKey :one
select document_id, revision, author_id from changes where key = @key;

-- name: HistoryPage :many
select c.revision, c.author_id, p.name as author, c.made_at, c.role, c.target, c.label
from changes c join people p on p.id = c.author_id
where c.document_id = @document_id and c.revision < @before order by c.revision desc limit @most;

-- name: VersionInsert :one
insert into versions (document_id, revision, name, note, author_id)
values (@document_id, @revision, @name, @note, @author_id) returning *;

-- name: VersionList :many
select v.*, p.name as author from versions v join people p on p.id = v.author_id
where v.document_id = @document_id order by v.revision desc, v.created_at desc;

-- name: VersionDelete :execrows
delete from versions where id = @id and document_id = @document_id;
