"""The 3D stage: VTK draws off screen into an image, a plain widget shows it."""
