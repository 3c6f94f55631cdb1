"""Worker processes, and what a worker does to make one file."""
