"""The picture in the middle: frames, outlines and the tools that draw them."""
