-- How far a hand moved a sign of a bar, in tenths of a staff space to the right and up.
alter table bar_sign add column dx integer not null default 0;
alter table bar_sign add column dy integer not null default 0;
