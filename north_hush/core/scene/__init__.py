"""What the operator draws: zones and masks as geometry, and their shares of cells."""
