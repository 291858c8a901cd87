// Images as textures, however large, without a still page: what is large goes to the graphics card band by band, as
// much in each picture as there is time for, with smaller copies that the browser makes aside.
import * as THREE from "three";

/** Up to so many pixels an image goes at once. */
const SMALL = 1 << 20;

/** About so many pixels in a band. */
const BAND = 1 << 18;

/** How long a picture may be held up, milliseconds. */
const BUDGET = 6;

const nextPicture = () => new Promise((then) => requestAnimationFrame(then));

/** A texture of an image that is turned upside down already: colors in sRGB, which are read in linear light, or data. */
export async function pictureTexture(
  renderer: THREE.WebGLRenderer,
  bitmap: ImageBitmap,
  data: boolean,
): Promise<THREE.ExternalTexture> {
  const gl = renderer.getContext() as WebGL2RenderingContext;
  const { width, height } = bitmap;
  const levels = Math.floor(Math.log2(Math.max(width, height))) + 1;
  const own = gl.createTexture();
  on(gl, own, () => {
    gl.texStorage2D(gl.TEXTURE_2D, levels, data ? gl.RGBA8 : gl.SRGB8_ALPHA8, width, height);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.REPEAT);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.REPEAT);
    const steep = gl.getExtension("EXT_texture_filter_anisotropic");
    if (steep) gl.texParameterf(gl.TEXTURE_2D, steep.TEXTURE_MAX_ANISOTROPY_EXT, 4);
  });
  if (width * height <= SMALL) {
    on(gl, own, () => {
      put(gl, 0, 0, bitmap);
      gl.generateMipmap(gl.TEXTURE_2D);
    });
    bitmap.close();
  } else {
    let copy = bitmap;
    for (let level = 0; level < levels; level++) {
      await putBands(gl, own, level, copy);
      const [w, h] = [copy.width, copy.height].map((side) => Math.max(1, side >> 1));
      const whole = copy;
      if (level + 1 < levels)
        copy = await createImageBitmap(whole, { resizeWidth: w, resizeHeight: h, resizeQuality: "medium" });
      whole.close();
    }
  }
  const texture = new THREE.ExternalTexture(own);
  texture.userData = { width, height };
  texture.addEventListener("dispose", () => gl.deleteTexture(own));
  return texture;
}

async function putBands(gl: WebGL2RenderingContext, own: WebGLTexture, level: number, bitmap: ImageBitmap) {
  const rows = Math.max(1, Math.floor(BAND / bitmap.width));
  let since = performance.now();
  for (let row = 0; row < bitmap.height; row += rows) {
    const band = await createImageBitmap(bitmap, 0, row, bitmap.width, Math.min(rows, bitmap.height - row));
    if (performance.now() - since > BUDGET) {
      await nextPicture();
      since = performance.now();
    }
    on(gl, own, () => put(gl, level, row, band));
    band.close();
  }
}

function put(gl: WebGL2RenderingContext, level: number, row: number, bitmap: ImageBitmap) {
  gl.texSubImage2D(gl.TEXTURE_2D, level, 0, row, bitmap.width, bitmap.height, gl.RGBA, gl.UNSIGNED_BYTE, bitmap);
}

/** Works on a texture, and leaves all as three has it. */
function on(gl: WebGL2RenderingContext, texture: WebGLTexture, work: () => void) {
  const bound = gl.getParameter(gl.TEXTURE_BINDING_2D) as WebGLTexture | null;
  const kept = [gl.UNPACK_FLIP_Y_WEBGL, gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, gl.UNPACK_ALIGNMENT].map(
    (name) => [name, gl.getParameter(name) as number | boolean] as const,
  );
  gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.bindTexture(gl.TEXTURE_2D, texture);
  work();
  gl.bindTexture(gl.TEXTURE_2D, bound);
  for (const [name, value] of kept) gl.pixelStorei(name, value);
}
