-- name: WantedList :many
select instrument_id, awaited from wanted where document_id = @document_id order by instrument_id;

-- name: WantedDocuments :many
select distinct w.document_id, d.studio_id from wanted w join documents d on d.id = w.document_id order by w.document_id;

-- name: WantedAdd :exec
insert into wanted (document_id, instrument_id)
select @document_id, unnest(@instrument_ids::text[]) on conflict do nothing;

-- name: WantedRemove :exec
delete from wanted where document_id = @document_id and instrument_id = any (@instrument_ids::text[]);

-- name: WantedAwait :exec
update wanted set awaited = instrument_id = any (@instrument_ids::text[])
where document_id = @document_id and awaited <> (instrument_id = any (@instrument_ids::text[]));

-- name: RunningGet :one
select revision from running where document_id = @document_id;

-- name: RunningAdvance :execrows
-- The next revision of what is wanted; nothing when it is not the next.
insert into running (document_id, revision) values (@document_id, 1)
on conflict (document_id) do update set revision = running.revision + 1 where running.revision = @base::bigint;

-- name: RunningNext :one
-- The next revision, whichever it is.
insert into running (document_id, revision) values (@document_id, 1)
on conflict (document_id) do update set revision = running.revision + 1 returning revision;
