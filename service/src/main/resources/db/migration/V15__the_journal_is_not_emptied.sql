-- a trigger for each row does not see a table that is emptied as a whole
create function journal_is_not_emptied() returns trigger language plpgsql as $$
begin
  raise exception 'journal entries are never removed';
end $$;
create trigger journal_not_emptied before truncate on journal_entry
  for each statement execute function journal_is_not_emptied();
create trigger journal_person_not_emptied before truncate on journal_person
  for each statement execute function journal_is_not_emptied();
