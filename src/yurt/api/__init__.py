"""The Python interface (`import yurt`), in modules that are loaded on demand."""
