-- name: AnswerPut :exec
insert into answers (key, person_id, status, media, body) values (@key, @person_id, @status, @media, @body)
on conflict do nothing;

-- name: AnswerGet :one
select * from answers where key = @key and person_id = @person_id;

-- name: AnswersForget :exec
delete from answers where made_at < now() - interval '2 days';
