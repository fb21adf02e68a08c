-- How far up a hand bent the middle of a slur, in tenths of a staff space.
alter table mark add column bend integer not null default 0;
