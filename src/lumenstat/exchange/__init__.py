"""Formats in and out: documents that leave the application and come back."""
