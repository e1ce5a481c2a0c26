"""The machinist's sheet, on screen and as PDF."""
