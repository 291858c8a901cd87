import { useEffect } from "react";
import type { AreaOfWork, InArea } from "../../project/area";
import type { Project } from "../../project/project";
import { useApp } from "../../model/state";
import { ChecksCard } from "./ChecksCard";
import { LampRing } from "./LampRing";
import { LightTray } from "./LightTray";
import { LookCard } from "./LookCard";
import { LooksCard } from "./LooksCard";
import { keepNow } from "./lookInHand";
import { MotionCard } from "./MotionCard";
import { PaneChips } from "./PaneChips";

function ProofSheet({ project }: InArea) {
  // What wears looks is dressed, and undressed when one leaves.
  const proof = useApp((state) => state.proof);
  const proofing = useApp((state) => state.proofing);
  useEffect(() => project?.looks.refresh(), [project, proof, proofing]);
  useEffect(() => {
    const stop = project?.whileInHand(keepNow);
    return () => {
      void keepNow();
      stop?.();
      project?.looks.refresh();
    };
  }, [project]);
  if (!project) return null;
  return (
    <>
      <LooksCard project={project} />
      <LookCard project={project} />
      <MotionCard project={project} />
      <ChecksCard project={project} />
    </>
  );
}

function OverStage({ project }: { project: Project | null }) {
  return (
    <>
      <LampRing project={project} />
      <PaneChips project={project} />
    </>
  );
}

export const proof: AreaOfWork = {
  key: "proof",
  title: "Proof",
  Tray: LightTray,
  Sheet: ProofSheet,
  Overlay: OverStage,
};
