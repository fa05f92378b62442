-- name: RecordingFind :one
select * from recordings where studio_id = @studio_id and sha256 = @sha256;

-- name: RecordingInsert :execrows
insert into recordings (id, studio_id, sha256, bytes) values (@id, @studio_id, @sha256, @bytes)
on conflict (studio_id, sha256) do nothing;

-- name: RecordingPartInsert :exec
insert into recording_parts (recording_id, part, data) values (@recording_id, @part, @data);

-- name: RecordingPart :one
select data from recording_parts where recording_id = @recording_id and part = @part;
