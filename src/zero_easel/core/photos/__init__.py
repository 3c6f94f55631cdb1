"""Camera files: decoding them to upright sRGB pixels, reading cards and sharpness off them, colour profiles.

vips.py alone sets libvips up. Begin with decoding.py: decode_photo.
"""
