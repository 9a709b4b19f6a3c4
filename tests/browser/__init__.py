"""The interface as a user works it, in Chromium."""
