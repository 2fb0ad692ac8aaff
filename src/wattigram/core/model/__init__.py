"""What is described: parts, benches, designs and the edits that change them."""
