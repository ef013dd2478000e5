"""What a show is: its parts and their ids, edits of it, kinds of device, practices, what is wanted."""
