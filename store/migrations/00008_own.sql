-- +goose Up
-- Whether only whoever keeps a document sees it, and which dashboard a person begins with.
alter table documents add private boolean not null default false;
alter table shelves add first boolean not null default false;
create unique index shelves_first on shelves (person_id) where first;

-- +goose Down
alter table shelves drop first;
alter table documents drop private;
