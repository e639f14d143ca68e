"""What is shown of a rig: layout, captions, patch sheet, the view as a whole."""
