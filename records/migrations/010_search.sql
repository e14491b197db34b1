-- What can be searched for by its words: views and tables. hash tells whether an
-- entry is of what there is now.
CREATE VIRTUAL TABLE search USING fts5(name, columns, description, sql, what UNINDEXED, hash UNINDEXED, tokenize = 'unicode61');
