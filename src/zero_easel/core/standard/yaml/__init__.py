"""Standards as YAML files: file.py reads and writes them, reading.py is the door for YAML of strangers."""
