"""A run over a folder, and renaming its photos: the engine of the command line."""
