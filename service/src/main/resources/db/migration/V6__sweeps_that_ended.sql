-- how a sweep ended; while it runs, its list of accounts tells
alter table sweep
  add due integer not null default 0,
  add read integer not null default 0,
  add failed integer not null default 0;
update sweep s set due = c.due, read = c.read, failed = c.failed
  from (select sweep_id, count(*) filter (where state = 'due') as due,
          count(*) filter (where state = 'read') as read,
          count(*) filter (where state = 'failed') as failed
        from sweep_account group by sweep_id) c
  where c.sweep_id = s.id and s.state <> 'running';

-- of a sweep that has ended, the list keeps the accounts that could not be read
delete from sweep_account a using sweep s
  where s.id = a.sweep_id and s.state <> 'running' and a.state <> 'failed';
