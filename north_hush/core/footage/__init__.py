"""Recordings: files and image folders to frames with times, and frames to evidence."""
