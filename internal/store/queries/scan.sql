-- name: ScanInsert :one
insert into scans (studio_id, author_id, machine, folder, library, preload_kib, zone_bytes, key)
values (@studio_id, @author_id, @machine, @folder, @library, @preload_kib, @zone_bytes, sqlc.narg(key)) returning *;

-- name: ScanByKey :one
select * from scans where key = @key and studio_id = @studio_id;

-- name: ScanGet :one
select * from scans where id = @id and studio_id = @studio_id;

-- name: ScanRead :one
select * from scans where id = @id;

-- name: ScanList :many
select * from scans where studio_id = @studio_id order by created_at desc limit 20;

-- name: ScanQueued :exec
update scans set job_id = @job_id where id = @id;

-- name: ScanBegin :execrows
update scans set state = 'running', owner = @owner, beat_at = now() where id = @id and state = 'waiting';

-- name: ScanBeat :execrows
update scans set beat_at = now() where id = @id and state = 'running' and owner = @owner;

-- name: ScanProgress :exec
update scans set files_done = @files_done, files = @files, beat_at = now() where id = @id and state = 'running' and owner = @owner;

-- name: ScanEnd :execrows
update scans set state = @state, reason = @reason, patches = @patches, unchanged = @unchanged,
  broken = @broken, broken_count = @broken_count, ended_at = now()
where id = @id and state = 'running' and owner = @owner;

-- name: ScanCancel :execrows
update scans set state = 'stopped', reason = 'stopped before it began', ended_at = now() where id = @id and state = 'waiting';

-- name: ScansAbandoned :many
update scans set state = 'failed', reason = 'the server stopped in the middle; scan again', ended_at = now()
where state = 'running' and (beat_at is null or beat_at < now() - @silence::interval) returning id;

-- name: ScannedFiles :many
select file, policy, fingerprint, found from scanned_files where studio_id = @studio_id and folder = @folder;

-- name: ScannedFileForget :exec
delete from scanned_files where studio_id = @studio_id and folder = @folder and file = any (@files::text[]);
