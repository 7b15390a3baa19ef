-- Today shows what is due next, in the order in which it is due.
create index key_due_at on key_record (due_at, id) where ended_at is null and due_at is not null;
