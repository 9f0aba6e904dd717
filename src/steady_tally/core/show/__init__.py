"""What does the reader see? Colour recipes, the words of the classes, and shapes made ready for drawing."""
