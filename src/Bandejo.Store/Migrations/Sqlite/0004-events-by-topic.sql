-- Nearly all events are of targets and devices, and those are asked for by deployment and device; only the others are asked for by topic alone.
DROP INDEX event_by_topic;
CREATE INDEX event_by_topic ON event (topic, number) WHERE topic NOT IN ('target', 'device');
