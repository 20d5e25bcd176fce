"""How browsers are started and spoken to: processes, and WebDriver BiDi over a websocket."""
