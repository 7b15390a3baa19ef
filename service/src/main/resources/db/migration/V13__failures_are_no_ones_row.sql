-- Failed sign-ins are counted by name and address, in memory: a row of the user's would let anybody lock them out.
alter table user_account drop column failures, drop column locked_until;
