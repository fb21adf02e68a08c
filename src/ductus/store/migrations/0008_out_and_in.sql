-- The sign of a meter; tags of pieces.
alter table meter add column sign text not null default '';
alter table piece add column tags text not null default '';
