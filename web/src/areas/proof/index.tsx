import { useEffect } from "react";
import type { AreaOfWork, InArea } from "../../project/area";
import { useApp } from "../../model/state";
import { ChecksCard } from "./ChecksCard";
import { LampRing } from "./LampRing";
import { LightTray } from "./LightTray";
import { LookCard } from "./LookCard";
import { LooksCard } from "./LooksCard";
import { keepNow } from "./lookInHand";

function ProofSheet({ project }: InArea) {
  // What wears looks is dressed, and undressed when one leaves.
  const proof = useApp((state) => state.proof);
  const proofing = useApp((state) => state.proofing);
  useEffect(() => project?.looks.refresh(), [project, proof, proofing]);
  useEffect(
    () => () => {
      keepNow();
      project?.looks.refresh();
    },
    [project],
  );
  if (!project) return null;
  return (
    <>
      <LooksCard project={project} />
      <LookCard project={project} />
      <ChecksCard project={project} />
    </>
  );
}

export const proof: AreaOfWork = {
  key: "proof",
  title: "Proof",
  Tray: LightTray,
  Sheet: ProofSheet,
  Overlay: LampRing,
};
