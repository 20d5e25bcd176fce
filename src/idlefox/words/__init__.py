"""The words of the language and of the sheet, each with its form, its meaning and an example that plays."""
