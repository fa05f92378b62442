-- +goose Up
-- What one server learned of a machine, all know.
-- +goose StatementBegin
create function tell_pace() returns trigger as $$
begin
  perform pg_notify('fanfold', 'pace ' || new.studio_id || ' 0');
  return null;
end
$$ language plpgsql;
-- +goose StatementEnd
create trigger paces_told after insert or update on paces for each row execute function tell_pace();

-- +goose Down
drop trigger paces_told on paces;
drop function tell_pace;
