DROP TABLE device_before;
