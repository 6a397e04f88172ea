ALTER TABLE crossing ADD COLUMN label text; INSERT INTO crossing VALUES (1, 'first');
