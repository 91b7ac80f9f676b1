"""Saltmarsh Quay, a made-up marina: the demo of Fuse Latch."""
