-- name: SessionFind :one
select data, expiry from sessions where token = @token and expiry > now();

-- name: SessionCommit :exec
insert into sessions (token, data, expiry, person_id, agent, address) values (@token, @data, @expiry, @person_id, @agent, @address)
on conflict (token) do update set data = excluded.data, expiry = excluded.expiry;

-- name: SessionDelete :exec
delete from sessions where token = @token;

-- name: SessionsForget :exec
delete from sessions where expiry < now();
