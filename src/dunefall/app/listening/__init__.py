"""Commands for what is heard: transport, solo and mute, devices; clicks and quiet modules are watched here."""
