"""The migrations, one file each."""
