-- name: RecordingFind :one
select * from recordings where studio_id = @studio_id and sha256 = @sha256;

-- name: RecordingInsert :execrows
insert into recordings (id, studio_id, sha256, bytes, place) values (@id, @studio_id, @sha256, @bytes, @place)
on conflict (studio_id, sha256) do nothing;

-- name: RecordingPartInsert :exec
insert into recording_parts (recording_id, part, data) values (@recording_id, @part, @data);

-- name: RecordingPart :one
select data from recording_parts where recording_id = @recording_id and part = @part;

-- name: RecordingsTaken :one
select coalesce(sum(bytes), 0)::bigint as bytes, count(*) as files from recordings where studio_id = @studio_id;

-- name: RecordingsIdle :exec
-- Those that no template and no version of the studio plays are idle from now on; what
-- is played is not. A studio with one that does not say what it plays has none idle.
update recordings r set idle_since = case when idle.is then coalesce(r.idle_since, now()) end
from (
  select x.id, not exists (
    select 1 from documents d where d.studio_id = x.studio_id
      and (not jsonb_exists(d.about, 'audio') or jsonb_exists(d.about -> 'audio', x.sha256))
  ) as is from recordings x
) idle
where idle.id = r.id and (r.idle_since is not null) <> idle.is;

-- name: RecordingsCollect :many
delete from recordings where idle_since < @before::timestamptz returning studio_id, sha256, place;

-- name: RecordingToMove :one
-- The oldest that nobody has looked at.
select * from recordings where place = 'new' order by created_at limit 1;

-- name: RecordingPlaced :execrows
update recordings set place = @place where id = @id and place = 'new';

-- name: RecordingPartsDelete :exec
delete from recording_parts where recording_id = @recording_id;
