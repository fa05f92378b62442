-- name: ScanInsert :one
insert into scans (studio_id, author_id, machine, folder, library, preload_kib, zone_bytes)
values (@studio_id, @author_id, @machine, @folder, @library, @preload_kib, @zone_bytes) returning *;

-- name: ScanGet :one
select * from scans where id = @id and studio_id = @studio_id;

-- name: ScanRead :one
select * from scans where id = @id;

-- name: ScanList :many
select * from scans where studio_id = @studio_id order by created_at desc limit 20;

-- name: ScanQueued :exec
update scans set job_id = @job_id where id = @id;

-- name: ScanProgress :exec
update scans set state = 'running', files_done = @files_done, files = @files where id = @id and state in ('waiting', 'running');

-- name: ScanEnd :exec
update scans set state = @state, reason = @reason, patches = @patches, unchanged = @unchanged,
  broken = @broken, broken_count = @broken_count, ended_at = now()
where id = @id and state in ('waiting', 'running');

-- name: ScansInterrupted :exec
update scans set state = 'failed', reason = 'the server stopped in the middle; scan again', ended_at = now()
where state in ('waiting', 'running');

-- name: ScannedFiles :many
select file, policy, fingerprint, found from scanned_files where studio_id = @studio_id and folder = @folder;

-- name: ScannedFileForget :exec
delete from scanned_files where studio_id = @studio_id and folder = @folder and file = any (@files::text[]);
