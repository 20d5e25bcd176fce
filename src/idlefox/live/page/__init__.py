"""A page in a browser as a subject: the agent that runs in it, the map of its fields, reading and acting."""
