-- name: CallUsed :exec
insert into calls_used (document_id, call_id) values (@document_id, @call_id)
on conflict (document_id, call_id) do update set used_at = now();

-- name: CallsUsed :many
select call_id, used_at from calls_used where document_id = @document_id order by used_at desc, call_id;
