// What stands where the page would be when something in it went wrong.
import { Box, Button, Typography } from "@mui/material";
import type { FallbackProps } from "react-error-boundary";

export function Broken({ error }: FallbackProps) {
  const toShelf = () => {
    location.hash = "";
    // Whatever is known by now may be what broke it.
    location.reload();
  };
  return (
    <Box
      role="alert"
      data-test="broken"
      sx={{
        height: 1,
        display: "grid",
        placeContent: "center",
        justifyItems: "start",
        gap: 1.5,
        p: 4,
        maxWidth: 640,
        mx: "auto",
      }}>
      <Typography variant="h1" sx={{ fontSize: 30 }}>
        Something in this page went wrong
      </Typography>
      <Typography>
        What the server had acknowledged is kept. Load the page again to go on where you were; if it happens again, open
        the project anew from the shelf.
      </Typography>
      <Typography variant="body2" color="textSecondary" sx={{ fontFamily: "monospace", overflowWrap: "anywhere" }}>
        {error instanceof Error ? error.message : String(error)}
      </Typography>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" onClick={() => location.reload()}>
          Load the page again
        </Button>
        <Button color="secondary" onClick={toShelf}>
          To the shelf
        </Button>
      </Box>
    </Box>
  );
}
