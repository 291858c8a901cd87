// The formats that can be brought in, as the server has them: one list for all who tell it.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";

/** What comes along beside a mesh, or holds several. */
const BESIDE = [".zip", ".mtl", ".bin", "image/*"];

function useExtensions(): string[] {
  const formats = useQuery({
    queryKey: ["formats"],
    staleTime: Infinity,
    queryFn: async () => (await api.GET("/api/v1/formats")).data ?? [],
  });
  return (
    formats.data?.flatMap((format) => [format.extension, ...format.also_read].map((extension) => `.${extension}`)) ?? []
  );
}

/** For people: ".glb, .gltf … or .stl". */
export function useFormatWords(): string {
  const all = useExtensions();
  return all.length < 2 ? all.join("") : `${all.slice(0, -1).join(", ")} or ${all.at(-1) ?? ""}`;
}

/** For a file picker; a project's own file too. */
export function useAccepted(): string {
  return [...useExtensions(), ".speckle", ...BESIDE].join(",");
}
