// Looks ready to be worn: their code as the server writes it, asked for once for each way they are built.
import { lookCode } from "../api/writes";
import type { Schemas } from "../api/client";
import { LookDress, type LookLights, type Stir } from "../stage/lookMaterial";
import type { Pictures } from "./pictures";

type Look = Schemas["ProofLook"];
type Code = Schemas["LookCode"];

/** What of a look its code depends on: all but its numbers. */
const builtAs = (look: Look) =>
  JSON.stringify([look.name, look.layers, look.motion, look.one_sided], (key, value: unknown) =>
    typeof value === "number" && key !== "channel" ? 0 : value,
  );

/** The number at a JSON pointer (RFC 6901) into a look. */
function numberAt(look: Look, pointer: string): number {
  let at: unknown = look;
  for (const step of pointer.split("/").slice(1)) at = (at as Record<string, unknown> | undefined)?.[step];
  // Left out is what the server takes for it.
  return typeof at === "number" ? at : pointer.endsWith("/contrast") ? 1 : 0;
}

export class LookCodes {
  private readonly codes = new Map<string, Code>();
  private readonly asked = new Set<string>();
  /** What each look was worn as last. */
  private readonly dresses = new Map<number, LookDress>();

  constructor(
    private readonly lights: LookLights,
    private readonly stir: Stir,
    private readonly pictures: Pictures,
    /** Called when a code has come. */
    private readonly onCome: () => void,
  ) {}

  /** A look to be worn; until its code has come, as it was worn before. */
  dress(look: Look): LookDress | null {
    const id = look.id ?? 0;
    const built = builtAs(look);
    const code = this.codes.get(built);
    let dress = this.dresses.get(id) ?? null;
    if (!code) {
      this.ask(built, look);
      return dress;
    }
    if (dress?.code !== code || dress.oneSided !== (look.one_sided ?? false)) {
      dress = new LookDress(code, look.one_sided ?? false, this.lights, this.stir);
      this.dresses.set(id, dress);
    }
    code.numbers.forEach((pointer, i) => {
      if (dress) dress.numbers.value[i] = numberAt(look, pointer);
    });
    dress.show((image, data) => this.pictures.texture(image, data));
    return dress;
  }

  private ask(built: string, look: Look) {
    if (this.asked.has(built)) return;
    this.asked.add(built);
    void lookCode({ look, language: "glsl", in_array: true }).then(({ data }) => {
      if (!data) {
        // It is asked again when it is looked at again.
        this.asked.delete(built);
        return;
      }
      this.codes.set(built, data);
      this.onCome();
    });
  }
}
