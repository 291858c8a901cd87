// How parts and their edges are drawn where they wear no look.

export const vertexShader = /* glsl */ `
  in vec3 position; in vec3 normal; in vec4 color; in vec4 masked; in vec4 chosen;
  uniform mat4 modelMatrix; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform mat3 normalMatrix;
  out vec4 vColor; out vec3 vNormal; out vec3 vSight; out vec3 vPlace; out vec2 vMarks;
  void main() {
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    vColor = color; vNormal = normalMatrix * normal; vSight = -seen.xyz;
    vPlace = (modelMatrix * vec4(position, 1.0)).xyz;
    vMarks = vec2(masked.r, chosen.r);
    gl_Position = projectionMatrix * seen;
  }`;

// The flat look writes the stored values as they are; light is reckoned in linear light.
export const fragmentShader = /* glsl */ `
  precision highp float;
  in vec4 vColor; in vec3 vNormal; in vec3 vSight; in vec3 vPlace; in vec2 vMarks;
  uniform bool lit; uniform bool bare; uniform bool painted; uniform vec3 palette[17]; uniform float smoothCosine; uniform int channel;
  uniform vec4 cut; uniform bvec2 marks;
  out vec4 pixel;
  vec3 toLinear(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
  vec3 toEncoded(vec3 c) { return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c)); }
  // Sea, sand, persimmon, ink: lightness falls throughout, so that it reads without its hues.
  vec3 heat(float t) {
    vec3 a = vec3(0.93, 0.91, 0.86); vec3 b = vec3(0.55, 0.75, 0.74); vec3 c = vec3(0.80, 0.45, 0.26); vec3 d = vec3(0.30, 0.09, 0.14);
    return t < 0.33 ? mix(a, b, t / 0.33) : t < 0.67 ? mix(b, c, (t - 0.33) / 0.34) : mix(c, d, (t - 0.67) / 0.33);
  }
  void main() {
    if (dot(cut.xyz, vPlace) > cut.w) discard;
    vec3 color = bare ? vec3(0.72) : vColor.rgb;
    // Whole faces have one number: nothing lies between two of them.
    if (!bare && painted) color = palette[min(16, int(vColor.r * 255.0 + 0.5))];
    else if (!bare && channel >= 0 && channel < 4) color = vec3(vColor[channel]);
    if (!bare && !painted && channel == 5) color = heat(vColor.r);
    if (!bare && !painted && channel == 4) {
      vec2 square = floor(gl_FragCoord.xy / 12.0);
      float checker = mod(square.x + square.y, 2.0) < 0.5 ? 0.42 : 0.58;
      color = mix(vec3(checker), color, vColor.a);
    }
    if (marks.x) {
      // What the mask protects is speckled, the denser the more it is.
      vec2 cell = mod(gl_FragCoord.xy, 7.0) - 3.5;
      float dot_ = step(length(cell), 0.6 + 1.9 * vMarks.x) * step(0.02, vMarks.x);
      color = mix(color, vec3(0.09), 0.75 * dot_);
    }
    if (marks.y) {
      // What is chosen is striped.
      float stripe = step(0.62, fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0));
      color = mix(color, vec3(0.85, 0.32, 0.17), 0.8 * stripe * smoothstep(0.3, 0.7, vMarks.y));
    }
    if (!lit) { pixel = vec4(color, 1.0); return; }
    vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
    // The face's own normal, from how the place changes over the screen: no geometry is needed for
    // it. It takes over where the smooth one is bent away from it too far.
    vec3 face = normalize(cross(dFdx(vSight), dFdy(vSight)));
    if (dot(face, vSight) < 0.0) face = -face;
    if (dot(n, face) < smoothCosine) n = face;
    vec3 key = normalize(vec3(-0.45, 0.75, 0.6));
    vec3 fill = normalize(vec3(0.8, 0.1, 0.35));
    float wrapped = max(0.0, (dot(n, key) + 0.25) / 1.25);
    float light = 0.2 + 0.16 * (0.5 + 0.5 * n.y) + 0.82 * wrapped * wrapped + 0.12 * max(0.0, dot(n, fill));
    float gloss = pow(max(0.0, dot(n, normalize(key + normalize(vSight)))), 40.0) * 0.07;
    pixel = vec4(toEncoded(min(vec3(1.0), toLinear(color) * light + gloss)), 1.0);
  }`;

export const lineVertexShader = /* glsl */ `
  in vec3 position; uniform mat4 modelMatrix; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; out vec3 vPlace;
  void main() { vPlace = (modelMatrix * vec4(position, 1.0)).xyz; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`;
export const lineFragmentShader = /* glsl */ `
  precision highp float; in vec3 vPlace; uniform float strength; uniform vec4 cut; out vec4 pixel;
  void main() { if (dot(cut.xyz, vPlace) > cut.w) discard; pixel = vec4(vec3(0.1), 0.75 * strength); }`;
