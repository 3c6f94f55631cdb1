"""The stages of a shoot, a module for each, and what a person opens from there. Begin with clearing.py."""
