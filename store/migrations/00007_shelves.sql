-- +goose Up
-- What a person has among their favourites, and when they opened what.
create table shelves (
  person_id bigint not null references people on delete cascade, document_id bigint not null references documents on delete cascade,
  favourite boolean not null default false, opened_at timestamptz, primary key (person_id, document_id)
);

-- +goose Down
drop table shelves;
