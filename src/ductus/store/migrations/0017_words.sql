-- Words of marks that no dictionary has, and what a person said they are.
create table word (
  folded text primary key,
  kind text not null
) strict;
