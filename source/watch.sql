-- Announces which tables changed, once per statement. It writes nothing and carries
-- no record. Run it as the owner of the tables; run it again after adding tables.
create or replace function eskadel_changed() returns trigger language plpgsql as $$
begin
  perform pg_notify('eskadel', tg_table_schema || '.' || tg_table_name);
  return null;
end $$;

do $$
declare t record;
begin
  for t in select schemaname, tablename from pg_tables where schemaname = current_schema() loop
    execute format('drop trigger if exists eskadel_watch on %I.%I', t.schemaname, t.tablename);
    execute format('create trigger eskadel_watch after insert or update or delete or truncate on %I.%I for each statement execute function eskadel_changed()', t.schemaname, t.tablename);
  end loop;
end $$;
