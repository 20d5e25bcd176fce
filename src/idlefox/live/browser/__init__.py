"""Browser processes, and WebDriver BiDi over a websocket."""
