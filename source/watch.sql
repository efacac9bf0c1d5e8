-- Announces which tables changed, once per statement. It writes nothing. Of the columns
-- named below, which row rules compare, it tells the values that were touched; it carries no
-- record. Run it as the owner of the tables; run it again after adding tables or rules.
create or replace function IN_SCHEMA.eskadel_changed() returns trigger language plpgsql set search_path = pg_catalog as $$
declare
  told text := tg_table_schema || '.' || tg_table_name;
  touched jsonb := '{}';
  held jsonb;
  side text;
begin
  if tg_op <> 'TRUNCATE' then
    side := case tg_op when 'INSERT' then 'eskadel_new' when 'DELETE' then 'eskadel_old' else '' end;
    for i in 0 .. tg_nargs - 1 loop
      execute case when side <> '' then format('select jsonb_agg(v) from (select %1$I::text as v from %2$I group by 1 limit 51) x', tg_argv[i], side)
        else format('select jsonb_agg(v) from (select v from (select %1$I::text as v from eskadel_old union all select %1$I::text from eskadel_new) y group by 1 limit 51) x', tg_argv[i]) end into held;
      if coalesce(jsonb_array_length(held), 0) <= 50 then
        touched := touched || jsonb_build_object(tg_argv[i], coalesce(held, '[]'));
      end if;
    end loop;
  end if;
  if touched <> '{}' and octet_length(touched::text) < 7000 then
    told := told || E'\n' || touched::text;
  end if;
  perform pg_notify('eskadel', told);
  return null;
end $$;

do $$
declare
  t record;
  arguments text;
begin
  for t in select n.nspname, c.relname, x.names from pg_class c join pg_namespace n on n.oid = c.relnamespace
    left join (values COMPARED_COLUMNS) x(id, names) on x.id = n.nspname || '.' || c.relname
    where c.relkind in ('r', 'p') and n.nspname = any (ALL_SCHEMAS) loop
    for arguments in select tgname from pg_trigger where tgrelid = format('%I.%I', t.nspname, t.relname)::regclass and tgname like 'eskadel\_%' loop
      execute format('drop trigger %I on %I.%I', arguments, t.nspname, t.relname);
    end loop;
    if t.names is null then
      execute format('create trigger eskadel_watch after insert or update or delete or truncate on %I.%I for each statement execute function QUOTED_SCHEMA.eskadel_changed()', t.nspname, t.relname);
      continue;
    end if;
    arguments := (select string_agg(quote_literal(n), ', ') from unnest(t.names) n);
    execute format('create trigger eskadel_insert after insert on %I.%I referencing new table as eskadel_new for each statement execute function QUOTED_SCHEMA.eskadel_changed(%s)', t.nspname, t.relname, arguments);
    execute format('create trigger eskadel_update after update on %I.%I referencing old table as eskadel_old new table as eskadel_new for each statement execute function QUOTED_SCHEMA.eskadel_changed(%s)', t.nspname, t.relname, arguments);
    execute format('create trigger eskadel_delete after delete on %I.%I referencing old table as eskadel_old for each statement execute function QUOTED_SCHEMA.eskadel_changed(%s)', t.nspname, t.relname, arguments);
    execute format('create trigger eskadel_truncate after truncate on %I.%I for each statement execute function QUOTED_SCHEMA.eskadel_changed()', t.nspname, t.relname);
  end loop;
end $$;
