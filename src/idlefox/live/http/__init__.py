"""A form that a server draws as a subject, over HTTP and without a browser."""
