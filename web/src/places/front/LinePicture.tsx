// The line, drawn for those who have none yet: a made-up crew on a made-up pack. A picture; what it shows stands in words.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Shape } from "../../api/client";
import { stateColour, stateShape } from "../../parts/marks";
import { mono } from "../../theme";

const STOPS: { number: string; people: [string, Shape["State"]][]; below?: string }[] = [
  { number: "1.0", people: [["PA", "not heard from"]] },
  { number: "1.1", people: [] },
  {
    number: "1.2",
    people: [
      ["OD", "behind"],
      ["LI", "behind"],
    ],
  },
  {
    number: "1.3",
    people: [
      ["MA", "in step"],
      ["TO", "in step"],
      ["SU", "differs"],
      ["IS", "in step"],
    ],
    below: "server",
  },
  { number: "draft +4", people: [] },
];

export function LinePicture() {
  return (
    <Box component="figure" sx={{ m: 0 }}>
      <Box
        aria-hidden
        sx={{
          border: 1,
          borderColor: "divider",
          bgcolor: "background.paper",
          px: { xs: 1, sm: 3 },
          py: 3,
          display: "flex",
          overflow: "hidden",
          position: "relative",
          "&::before": {
            content: '""',
            position: "absolute",
            left: { xs: 16, sm: 40 },
            right: { xs: 16, sm: 40 },
            top: 79,
            borderTop: "2px solid",
            borderColor: "text.secondary",
            opacity: 0.5,
          },
        }}
      >
        {STOPS.map((one, index) => (
          <Box
            key={one.number}
            sx={{
              flex: 1,
              minWidth: 0,
              display: { xs: index === 1 ? "none" : "flex", sm: "flex" },
              flexDirection: "column",
              alignItems: "center",
            }}
          >
            <Box
              sx={{
                height: 46,
                display: "flex",
                flexWrap: "wrap-reverse",
                gap: 0.5,
                justifyContent: "center",
                pb: 0.5,
              }}
            >
              {one.people.map(([name, state]) => (
                <Box
                  key={name}
                  sx={{
                    border: 1,
                    borderColor: stateColour(state),
                    color: stateColour(state),
                    bgcolor: "background.paper",
                    borderRadius: "10px",
                    px: 0.6,
                    height: 22,
                    fontSize: "0.75rem",
                    fontWeight: 700,
                  }}
                >
                  {stateShape(state)} {name}
                </Box>
              ))}
            </Box>
            <Box
              sx={{
                width: 16,
                height: 16,
                zIndex: 1,
                borderRadius: "50%",
                border: "2px solid",
                borderColor: "primary.main",
                bgcolor: index < STOPS.length - 1 ? "primary.main" : "background.paper",
              }}
            />
            <Box sx={{ fontFamily: mono, fontSize: "0.8rem", pt: 0.75, height: 42, textAlign: "center" }}>
              {one.number}
              {one.below && (
                <Box component="span" sx={{ display: "block", color: "primary.main" }}>
                  ● {one.below}
                </Box>
              )}
            </Box>
          </Box>
        ))}
      </Box>
      <Typography component="figcaption" variant="body2" sx={{ color: "text.secondary", mt: 1 }}>
        The line: a pack's releases from left to right, and who runs which. Four of this crew are at release 1.3 with
        the server, one of them with something of their own; two are one behind; one has not been heard from.
      </Typography>
    </Box>
  );
}
