-- A file whose performance is being read onto its page: gone when it has been read. What a stopped server left is read on.
create table arriving (
  piece text primary key references piece (id) on delete cascade,
  name text not null,
  data blob not null
) strict;
