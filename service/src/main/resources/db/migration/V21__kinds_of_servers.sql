-- what an SSH server calls itself, by which its kind is recognised
alter table destination add identification text;
