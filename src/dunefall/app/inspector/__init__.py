"""The inspector: values, links, series, pictures and Story of what is selected."""
