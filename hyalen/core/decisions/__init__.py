"""What a clerk decides, as small typed values tied to ink, and their replay over what was read."""
