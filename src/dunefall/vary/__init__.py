"""From one good sound to a family: variations, what they are like in words, and what makes two patches differ."""
