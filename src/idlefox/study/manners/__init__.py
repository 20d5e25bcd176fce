"""Forms held to rules that none should break, by walking about in them as people and accidents would."""
