"""Controls that every part of the window uses: rails, link rows, dialogs' bases, painting, theme, accessibility."""
