-- Whose the words are, and the copyright line.
alter table piece add column lyricist text not null default '';
alter table piece add column rights text not null default '';
