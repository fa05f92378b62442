-- name: DeliveryInsert :exec
insert into deliveries (id, studio_id, template, title, receiver, note, folders, listening, content, author_id, token, ends_at)
values (@id, @studio_id, @template, @title, @receiver, @note, @folders, @listening, @content, @author_id, @token, @ends_at);

-- name: DeliveryHolds :exec
insert into delivery_prints (delivery_id, print_id, place) values (@delivery_id, @print_id, @place);

-- name: DeliveryList :many
select d.*, coalesce(a.name, '')::text as author
from deliveries d left join people a on a.id = d.author_id
where d.template = @template and d.studio_id = @studio_id order by d.created_at desc limit 200;

-- name: DeliveryGet :one
select d.*, coalesce(a.name, '')::text as author
from deliveries d left join people a on a.id = d.author_id where d.id = @id and d.studio_id = @studio_id;

-- name: DeliveryOfLink :one
select d.*, coalesce(a.name, '')::text as author
from deliveries d left join people a on a.id = d.author_id where d.token = @token and d.ends_at > now();

-- name: DeliveryEndLink :execrows
update deliveries set token = null, ends_at = least(ends_at, now()) where id = @id and studio_id = @studio_id;

-- name: DeliveryFetched :exec
update deliveries set fetched = fetched + 1, fetched_at = now() where id = @id;

-- name: DeliveryPrints :many
select print_id from delivery_prints where delivery_id = @delivery_id order by place;

-- name: DeliveryOpenOf :one
-- To whom a print is open by a link; empty for nobody.
select coalesce((select d.receiver from deliveries d join delivery_prints p on p.delivery_id = d.id
  where p.print_id = @print_id and d.studio_id = @studio_id and d.token is not null and d.ends_at > now() order by d.ends_at desc limit 1), '')::text as receiver;

-- name: PrintNewest :many
-- The newest print of each title of a template that is done.
select distinct on (title) id, title, version, revision from prints
where template = @template and studio_id = @studio_id and state = 'done' and not jsonb_exists(ask, 'over') order by title, version desc;

-- name: DeliverySetLink :execrows
update deliveries set token = @token, ends_at = @ends_at where id = @id and studio_id = @studio_id;
