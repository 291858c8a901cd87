// Conversions of the picker. sRGB-encoded numbers stand in the middle, each 0–1.

type Three = [number, number, number];

/** HSV with each 0–1, from RGB (the usual hexcone; CSS Color 4 names the same hue). */
export function toHsv([red = 0, green = 0, blue = 0]: readonly number[]): Three {
  const value = Math.max(red, green, blue);
  const chroma = value - Math.min(red, green, blue);
  if (chroma === 0) return [0, 0, value];
  const sector =
    value === red
      ? ((green - blue) / chroma + 6) % 6
      : value === green
        ? (blue - red) / chroma + 2
        : (red - green) / chroma + 4;
  return [sector / 6, chroma / value, value];
}

export function fromHsv(hue: number, saturation: number, value: number): Three {
  const at = (n: number) => {
    const k = (n + hue * 6) % 6;
    return value - value * saturation * Math.max(0, Math.min(k, 4 - k, 1));
  };
  return [at(5), at(3), at(1)];
}

const linear = (c: number) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);
const encoded = (c: number) => (c <= 0.0031308 ? c * 12.92 : 1.055 * c ** (1 / 2.4) - 0.055);

/** OKLCH as CSS writes it: lightness 0–1, chroma from 0 to about 0.4, hue in degrees (CSS Color 4, 10.2 and the sample code). */
export function toOklch(rgb: readonly number[]): Three {
  const [r, g, b] = [linear(rgb[0] ?? 0), linear(rgb[1] ?? 0), linear(rgb[2] ?? 0)];
  const l = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const m = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const s = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  const a = 1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s;
  const bb = 0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s;
  const lightness = 0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s;
  const chroma = Math.hypot(a, bb);
  const hue = chroma < 1e-4 ? 0 : (Math.atan2(bb, a) * 180) / Math.PI;
  return [lightness, chroma < 1e-4 ? 0 : chroma, (hue + 360) % 360];
}

function oklchExactly(lightness: number, chroma: number, hue: number): Three {
  const angle = (hue * Math.PI) / 180;
  const [a, b] = [chroma * Math.cos(angle), chroma * Math.sin(angle)];
  const l = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3;
  const m = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3;
  const s = (lightness - 0.0894841775 * a - 1.291485548 * b) ** 3;
  return [
    encoded(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s),
    encoded(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s),
    encoded(-0.0041960863 * l - 0.7034186147 * m + 1.707614701 * s),
  ];
}

/** The nearest color of that lightness and hue that a screen can show: less chroma where there is too much. */
export function fromOklch(lightness: number, chroma: number, hue: number): Three {
  const fits = (rgb: Three) => rgb.every((c) => c >= -1e-4 && c <= 1 + 1e-4);
  const clamped = (rgb: Three): Three => [
    Math.min(1, Math.max(0, rgb[0])),
    Math.min(1, Math.max(0, rgb[1])),
    Math.min(1, Math.max(0, rgb[2])),
  ];
  const wanted = oklchExactly(lightness, chroma, hue);
  if (fits(wanted)) return clamped(wanted);
  let [low, high] = [0, chroma];
  for (let i = 0; i < 20; i++) {
    const middle = (low + high) / 2;
    if (fits(oklchExactly(lightness, middle, hue))) low = middle;
    else high = middle;
  }
  return clamped(oklchExactly(lightness, low, hue));
}

/** Three numbers from six or three hexadecimal digits; null for anything else. */
export function fromHex(typed: string): Three | null {
  const found = /^#?([0-9a-f]{6}|[0-9a-f]{3})$/i.exec(typed.trim())?.[1];
  if (!found) return null;
  const six = found.length === 3 ? [...found].map((c) => c + c).join("") : found;
  const at = (i: number) => Number.parseInt(six.slice(2 * i, 2 * i + 2), 16) / 255;
  return [at(0), at(1), at(2)];
}
