-- Parts of words are found in every list without reading its whole table; the expressions are those of the queries.
create index account_words on account using gin (lower(login) gin_trgm_ops);
create index destination_words on destination using gin (lower(name || ' ' || host) gin_trgm_ops);
create index integration_words on integration using gin (lower(name || ' ' || owner) gin_trgm_ops);
create index finding_words on finding using gin (lower(sentence || ' ' || evidence) gin_trgm_ops);
