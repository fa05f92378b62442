-- name: ServerList :many
select * from servers order by started_at;

-- name: ServerPut :exec
insert into servers (id, name, nats) values (@id, @name, @nats)
on conflict (id) do update set seen_at = now();

-- name: ServerForget :exec
delete from servers where id = @id;

-- name: LeaseTake :many
insert into leases (studio_id, machine, server_id, until)
select unnest(@studios::uuid[]), unnest(@machines::text[]), @server_id::uuid, now() + @lasts::interval
on conflict (studio_id, machine) do update set server_id = excluded.server_id, until = excluded.until
where leases.server_id = excluded.server_id or leases.until < now()
returning studio_id, machine;

-- name: LeasesRelease :exec
delete from leases where server_id = @server_id;
