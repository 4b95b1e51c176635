"""Migrations of the tables, run at start."""
