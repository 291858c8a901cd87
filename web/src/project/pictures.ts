// Images of the project as textures of looks, asked for once each and read aside from the page's own work.
import * as THREE from "three";
import { imageAsPng } from "../api/writes";
import { get } from "../model/state";

/** What stands for an image until it has come, and for one that is missing: nothing of a color, a flat normal. */
const nothing = (bytes: [number, number, number, number]) => {
  const texture = new THREE.DataTexture(new Uint8Array(bytes), 1, 1);
  texture.needsUpdate = true;
  return texture;
};

export class Pictures {
  private readonly textures = new Map<string, THREE.Texture>();
  private readonly asked = new Set<string>();
  private readonly noColor = nothing([0, 0, 0, 0]);
  private readonly flat = nothing([128, 128, 255, 255]);
  private over = false;

  constructor(
    private readonly project: number,
    private readonly upload: (bitmap: ImageBitmap, data: boolean) => Promise<THREE.Texture>,
    /** Called when one has come. */
    private readonly onCome: () => void,
  ) {}

  texture(image: string, data: boolean): THREE.Texture {
    const known = get().images.find(({ name }) => name === image);
    const none = data ? this.flat : this.noColor;
    if (!known) return none;
    const key = `${known.digest} ${data ? "data" : "color"}`;
    const texture = this.textures.get(key);
    if (texture) return texture;
    if (!this.asked.has(key)) {
      this.asked.add(key);
      // One that the browser cannot draw stands there as if it were missing.
      void this.come(image, data)
        .catch(() => null)
        .then((come) => {
          if (!come) {
            // It is asked for again when it is looked at again.
            this.asked.delete(key);
          } else if (this.over) {
            come.dispose();
          } else {
            this.textures.set(key, come);
            this.onCome();
          }
        });
    }
    return none;
  }

  dispose() {
    this.over = true;
    for (const texture of [...this.textures.values(), this.noColor, this.flat]) texture.dispose();
  }

  private async come(name: string, data: boolean): Promise<THREE.Texture | null> {
    const { data: file } = await imageAsPng(this.project, name);
    if (!file) return null;
    const bitmap = await createImageBitmap(file, {
      imageOrientation: "flipY",
      colorSpaceConversion: "none",
      premultiplyAlpha: "none",
    });
    return this.upload(bitmap, data);
  }
}
