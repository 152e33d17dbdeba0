"""What is laid along lines on the ground: walls, runs of bricks, fences."""
