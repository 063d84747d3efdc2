"""One machine's Emblar: PostgreSQL of its own, the web server and the worker, started together."""
