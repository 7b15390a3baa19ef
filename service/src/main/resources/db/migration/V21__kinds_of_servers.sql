-- what an SSH server calls itself, by which it is told what its files of keys hold
alter table destination add identification text;
