-- What became of an event of the journal: 0 nothing, 1 it was written (at the pen, or in a take), 2 a person dropped it.
alter table journal add column became integer not null default 0;
update journal set became = pen_down;
create index journal_left on journal (piece, at_us) where became = 0 and kind = 'down';
