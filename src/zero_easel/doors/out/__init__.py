"""Handing over. Begin with targets.py: where pictures go, and what is to go there; sending.py is the thread that takes
them there, places.py and shop.py are what it talks to, sealing.py keeps passwords."""
