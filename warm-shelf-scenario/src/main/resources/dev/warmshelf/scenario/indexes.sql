ALTER TABLE booking ADD PRIMARY KEY (id, booked_at);
ALTER TABLE vessel ADD FOREIGN KEY (class_id) REFERENCES vessel_class;
ALTER TABLE route ADD FOREIGN KEY (from_port) REFERENCES port;
ALTER TABLE route ADD FOREIGN KEY (to_port) REFERENCES port;
ALTER TABLE sailing ADD FOREIGN KEY (route_id) REFERENCES route;
ALTER TABLE sailing ADD FOREIGN KEY (vessel_id) REFERENCES vessel;
ALTER TABLE notice ADD FOREIGN KEY (port_id) REFERENCES port ON DELETE CASCADE;
ALTER TABLE booking ADD FOREIGN KEY (sailing_id) REFERENCES sailing ON DELETE CASCADE;
ALTER TABLE booking ADD FOREIGN KEY (agent_id) REFERENCES agent;
CREATE INDEX ON sailing (day);
CREATE INDEX ON sailing (route_id);
CREATE INDEX ON booking (sailing_id);
CREATE INDEX ON booking (agent_id);
-- An index that somebody forgot: notice (port_id). Reading a port's notices scans them all, as 'shelf
-- measure' finds out.
