-- Of a swing sign: the share of a pair of short notes that its first one takes, in thousandths.
alter table mark add column share integer not null default 0;
