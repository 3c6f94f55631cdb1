"""Thousands of photos as plain lines: listed a page at a time, counted, or set up in a row. Begin with lines.py."""
