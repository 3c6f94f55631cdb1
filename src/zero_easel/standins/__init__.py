"""Stand-ins for what a shop has and a fresh machine has not: camera.py shoots the demo's photos into a folder."""
