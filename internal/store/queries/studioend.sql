-- name: StudioGet :one
select * from studios where id = @id;

-- name: StudioEnd :execrows
update studios set ends_at = @ends_at where id = @id and ends_at is null;

-- name: StudioStay :execrows
update studios set ends_at = null where id = @id and ends_at > now();

-- name: StudiosEnded :many
select id, name from studios where ends_at <= now() order by ends_at, id;

-- name: StudioList :many
select * from studios order by created_at, id;

-- name: StudioIsThere :one
select exists (select from studios where id = @id);

-- name: AudioOfStudio :many
-- Whatever audio a studio has in the audio store.
select distinct sha256 from (
  select f.sha256 from print_files f join prints p on p.id = f.print_id where p.studio_id = @studio_id and p.state = 'done'
  union all select r.sha256 from recordings r where r.studio_id = @studio_id and r.place = 'audio'
) x order by 1;
