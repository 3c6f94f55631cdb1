"""Tables, their migrations, sessions, and the vault of files. Begin with models.py."""
