"""What follows the crossing beside the event loop: looks, and files outside."""
