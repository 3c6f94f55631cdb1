"""Runs: mapping the pipeline over many photos, with progress, and picking up after an interruption."""
