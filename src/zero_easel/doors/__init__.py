"""Doors: where files come in by themselves. Begin with watching.py, the thread that looks; settling.py says which files
have stopped growing, folders.py what may be watched."""
