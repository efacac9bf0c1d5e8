-- A hazard is closed only once its safeguards are known to work; whoever tries is told so.
create or replace function hazard_closing() returns trigger language plpgsql as $$
begin
  if new.status = 'closed' and old.status <> 'closed' and new.safeguards in ('untested', 'missing') then
    raise exception 'A hazard is closed only once its safeguards are tested: those of “%” are %.', new.title, new.safeguards;
  end if;
  return new;
end $$;
create or replace trigger hazard_closing before update on hazard for each row execute function hazard_closing()
