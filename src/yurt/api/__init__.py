"""What `import yurt` gives, in modules that are loaded when they are needed."""
