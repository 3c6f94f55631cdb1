"""The rules and the computation. Knows nothing of the web, the database, settings or the clock."""
