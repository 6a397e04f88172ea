INSERT INTO crossing VALUES (2, 'second');
