-- After every start's migrations, as the owner of the tables. The service's own user works with rows and owns nothing;
-- entries of the journal it adds and seals, and it can never change or remove one. Where the service's user is the owner,
-- too, there is nothing to grant, and the service says so in its log.
do $$
declare
  one record;
begin
  if '${service}' = current_user then
    return;
  end if;
  perform pg_advisory_xact_lock(hashtext('tolvin grants')); -- instances may start at the same time
  for one in
    select oid::regclass as name from pg_class
      where relnamespace = 'public'::regnamespace and relkind = 'r' and pg_get_userbyid(relowner) = current_user
        and relname not in ('flyway_schema_history', 'journal_entry', 'journal_person')
  loop
    execute format('grant select, insert, update, delete on %s to %I', one.name, '${service}');
  end loop;
  for one in
    select oid::regclass as name from pg_class
      where relnamespace = 'public'::regnamespace and relkind = 'S' and pg_get_userbyid(relowner) = current_user
  loop
    execute format('grant usage on sequence %s to %I', one.name, '${service}');
  end loop;
  execute format('revoke all on journal_entry, journal_person from %I', '${service}');
  execute format('grant select, insert, update (number, link, signature) on journal_entry to %I', '${service}');
  execute format('grant select, insert, update (name) on journal_person to %I', '${service}');
end $$;
