"""Checks against standards, handbook values and reference libraries; each names its source."""
