-- +goose Up
alter table files add column how jsonb not null default '{}';

-- +goose Down
alter table files drop column how;
