"""What a run would begin with, and what of it is there already."""
