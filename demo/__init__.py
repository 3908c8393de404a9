"""The demonstration: a scenario of our own as plain data, loaded through the services the application uses."""
