-- name: NoteInsert :exec
insert into notes (studio_id, person_id, name, what, about, address) values (@studio_id, @person_id, @name, @what, @about, @address);

-- name: NoteList :many
select id, name, what, about, address, at from notes where studio_id = @studio_id and id < @before order by id desc limit @most::int;
