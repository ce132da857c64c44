"""Skerry Quay, a made-up ferry slip and net loft: footage whose truth is known to the pixel."""
