-- a key that was taken off again at once, since another one did not work any more
alter table placement add taken_back_because text;
