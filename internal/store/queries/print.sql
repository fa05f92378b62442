-- name: PrintInsert :exec
insert into prints (id, studio_id, template, production, cue, title, version, recorded, ask, author_id, state)
values (@id, @studio_id, @template, @production, @cue, @title, @version, @recorded, @ask, @author_id, @state);

-- name: PrintNextVersion :one
select (coalesce(max(version), 0) + 1)::int from prints where template = @template and title = @title and not jsonb_exists(ask, 'over');

-- name: PrintGet :one
select * from prints where id = @id and studio_id = @studio_id;

-- name: PrintOfJob :one
select * from prints where id = @id;

-- name: PrintList :many
select p.id, p.template, p.production, p.cue, p.title, p.version, p.recorded, p.ask, p.revision, p.state, p.reason, p.done_s, p.of_s,
  p.line, p.faults, p.created_at, p.began_at, p.ended_at, coalesce(a.name, '')::text as author
from prints p left join people a on a.id = p.author_id
where p.template = @template and p.studio_id = @studio_id order by p.created_at desc, p.version desc limit 200;

-- name: PrintSetJob :exec
update prints set job_id = @job_id, state = 'waiting', reason = '', done_s = 0 where id = @id;

-- name: PrintBegin :execrows
update prints set state = 'running', owner = @owner, beat_at = now(), began_at = now(), ended_at = null, revision = @revision, reason = '', done_s = 0
where id = @id and state in ('waiting', 'running', 'proving');

-- name: PrintBeat :execrows
update prints set done_s = @done_s, of_s = @of_s, state = @state, beat_at = now()
where id = @id and owner = @owner and state in ('running', 'proving');

-- name: PrintEnd :exec
update prints set state = @state, reason = @reason, line = @line, faults = @faults, report = @report, ended_at = now(), owner = null
where id = @id and state in ('running', 'proving');

-- name: PrintStop :execrows
update prints set state = 'stopped', reason = @reason, ended_at = now(), owner = null
where id = @id and studio_id = @studio_id and state in ('taking', 'waiting', 'running', 'proving');

-- name: PrintDelete :execrows
delete from prints where id = @id and studio_id = @studio_id and state in ('taking', 'done', 'stopped', 'failed');

-- name: PrintAbandon :execrows
-- Nobody's any more, where its server still says nothing: of several who look, one takes it.
update prints set state = 'waiting', owner = null where id = @id and state in ('running', 'proving') and beat_at < @before::timestamptz;

-- name: PrintLock :one
select state from prints where id = @id for update;

-- name: PrintFileTake :exec
insert into print_files (print_id, number, path, role, sha256, bytes)
select @print_id, coalesce(max(number), -1) + 1, @path, 'other', @sha256, @bytes from print_files where print_id = @print_id
on conflict (print_id, path) do update set sha256 = excluded.sha256, bytes = excluded.bytes;

-- name: PrintFileInsert :exec
insert into print_files (print_id, number, path, bus, stem, role, how, sha256, bytes)
values (@print_id, @number, @path, @bus, @stem, @role, @how, @sha256, @bytes)
on conflict (print_id, number) do update set path = @path, bus = @bus, stem = @stem, role = @role, how = @how, sha256 = @sha256, bytes = @bytes;

-- name: PrintFiles :many
select * from print_files where print_id = @print_id order by number;

-- name: PrintFilesClear :exec
delete from print_files where print_id = @print_id;

-- name: PrintMatches :many
select key, says from print_matches where template = @template;

-- name: PrintMatchSet :exec
insert into print_matches (template, key, says) values (@template, @key, @says)
on conflict (template, key) do update set says = @says;

-- name: PrintMatchForget :exec
delete from print_matches where template = @template and key = @key;

-- name: PrintsAbandoned :many
select * from prints where state in ('running', 'proving') and beat_at < @before::timestamptz;

-- name: AudioKept :one
-- Whether a print has some audio, or a recording lies there.
select (exists (select 1 from print_files f join prints p on p.id = f.print_id where f.sha256 = @sha256 and p.studio_id = @studio_id)
  or exists (select 1 from recordings r where r.sha256 = @sha256 and r.studio_id = @studio_id and r.place = 'audio'))::boolean as kept;

-- name: AudioTaken :one
select coalesce(sum(bytes), 0)::bigint from (
  select distinct f.sha256, f.bytes from print_files f join prints p on p.id = f.print_id where p.studio_id = @studio_id
) x;

-- name: PrintsOfProduction :many
-- The newest print of each title of a production that is done.
select distinct on (template, title) * from prints
where production = @production and studio_id = @studio_id and state = 'done' and not jsonb_exists(ask, 'over') order by template, title, version desc;
