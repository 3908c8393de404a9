"""The real interface in headless Chromium, with web server, bench worker, simulated stand and PostgreSQL behind it."""
