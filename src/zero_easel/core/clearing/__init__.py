"""From a photo to a cutout: backdrop, evidence, the network's opinion, the decision, the soft edge, the doubts.

Begin with cutout.py: cutout() goes through all of it in order.
"""
