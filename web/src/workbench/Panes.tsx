// How the open project shares the window: the stage over the tray, the board over the sheet; all borders can be
// dragged, by keys too, and are remembered.
import { Box, styled } from "@mui/material";
import type { KeyboardEvent, ReactNode } from "react";
import { Group, Panel, Separator, useDefaultLayout, usePanelRef } from "react-resizable-panels";

const Border = styled(Separator)(({ theme }) => ({
  width: 10,
  display: "grid",
  placeItems: "center",
  outline: "none",
  "&[aria-orientation=horizontal]": { width: "auto", height: 10 },
  "&::after": { content: '""', borderRadius: 2, background: "transparent", width: 3, height: 44 },
  "&[aria-orientation=horizontal]::after": { width: 44, height: 3 },
  "&:hover::after": { background: theme.palette.divider },
  "&:focus-visible::after": { background: theme.palette.secondary.main },
  "&[data-separator=active]::after": { background: theme.palette.primary.main },
}));

/** Sizes in pixels. A double click on a border brings the first ones back. */
const column = { defaultSize: 352, minSize: 310, maxSize: 640, groupResizeBehavior: "preserve-pixel-size" } as const;
const low = {
  defaultSize: 112,
  minSize: 96,
  maxSize: 280,
  collapsible: true,
  groupResizeBehavior: "preserve-pixel-size",
} as const;

/** The bar has its own room, so that what is above and below is as wide whether it shows or not. */
const scrolls = { overflowX: "hidden", overflowY: "auto", scrollbarWidth: "thin", scrollbarGutter: "stable" } as const;

/** A group whose borders stay where they were left. */
function Shared({ id, way, children }: { id: string; way: "horizontal" | "vertical"; children: ReactNode }) {
  const remembered = useDefaultLayout({ id: `panes-${id}`, storage: localStorage });
  return (
    <Group id={`panes-${id}`} orientation={way} {...remembered}>
      {children}
    </Group>
  );
}

interface Props {
  stage: ReactNode;
  tray: ReactNode;
  board: ReactNode;
  sheet: ReactNode;
}

export function Panes({ stage, tray, board, sheet }: Props) {
  const trayPanel = usePanelRef();
  // Enter folds what stands before a border, as everywhere; the tray stands behind its own.
  const foldTray = (event: KeyboardEvent) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    event.stopPropagation();
    const panel = trayPanel.current;
    if (panel?.isCollapsed()) panel.expand();
    else panel?.collapse();
  };
  return (
    <Shared id="window" way="horizontal">
      <Panel id="work" minSize={360}>
        <Shared id="work" way="vertical">
          <Panel id="stage" minSize={160} style={{ overflow: "hidden", display: "flex", flexDirection: "column" }}>
            {stage}
          </Panel>
          <Border
            aria-label="Between stage and tray (Enter folds the tray)"
            data-test="border-tray"
            onKeyDownCapture={foldTray}
          />
          <Panel id="tray" panelRef={trayPanel} {...low} style={{ overflow: "hidden" }}>
            {tray}
          </Panel>
        </Shared>
      </Panel>
      <Border aria-label="Between stage and column" data-test="border-column" />
      <Panel id="column" {...column}>
        <Shared id="column" way="vertical">
          <Panel id="board" defaultSize={326} minSize={110} collapsible collapsedSize={52} style={scrolls}>
            {board}
          </Panel>
          <Border aria-label="Between board and sheet" data-test="border-board" />
          <Panel id="sheet" minSize={140} style={scrolls}>
            <Box sx={{ display: "flex", flexDirection: "column", gap: 1.25 }}>{sheet}</Box>
          </Panel>
        </Shared>
      </Panel>
    </Shared>
  );
}
