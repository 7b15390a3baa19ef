-- why a rotation was stopped or rolled back, in the words of who did it
alter table rotation add turned_because text;
