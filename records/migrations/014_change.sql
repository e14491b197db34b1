-- How many changes of the project were kept: by this a process sees that another one has made some.
CREATE TABLE change_count (number INTEGER NOT NULL) STRICT;

INSERT INTO change_count VALUES (0);
