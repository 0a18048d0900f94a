"""What the columns of a sample show, one module for each sort of finding."""
