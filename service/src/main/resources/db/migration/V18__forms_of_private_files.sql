-- forms of private files are an enumeration
update key_download set form = upper(form);
