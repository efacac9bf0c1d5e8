-- +goose Up
-- What alerts know of what they watch, for each receiver; how often they looked and how long that took; until when
-- nothing is told; and, of a run, what is told to whom.
create table alert_states (
  errand_id bigint not null references errands on delete cascade, who text not null, known jsonb not null, primary key (errand_id, who)
);
alter table errands add looks bigint not null default 0, add spent_ms double precision not null default 0, add last_ms double precision not null default 0, add snoozed_until timestamptz;
alter table runs add says jsonb;
alter table receivers add later boolean not null default false;

-- +goose Down
alter table receivers drop column later;
alter table runs drop column says;
alter table errands drop column looks, drop column spent_ms, drop column last_ms, drop column snoozed_until;
drop table alert_states;
