// Names at Deliver, and what the receiver says of a GLB.
import * as THREE from "three";
import { expect, test } from "vitest";
import { factsOf } from "../src/receiver/facts";
import { copyName, folderName } from "../src/stops/deliver/state";

test("a copy of a profile gets a name that is free", () => {
  expect(copyName("gltf", ["gltf"])).toBe("gltf-2");
  expect(copyName("gltf-2", ["gltf", "gltf-2"])).toBe("gltf-3");
  expect(copyName("painting-16", ["painting-16"])).toBe("painting-16-2");
});

test("an asset's folder holds what any disk takes", () => {
  expect(folderName("Lookout lantern")).toBe("lookout-lantern");
  expect(folderName("  ../..\\Öl / 2 ")).toBe("öl-2");
  expect(folderName("...")).toBe("asset");
});

test("the receiver counts triangles and tells what textures came along", () => {
  const geometry = new THREE.BoxGeometry();
  const bare = new THREE.Group().add(new THREE.Mesh(geometry, new THREE.MeshStandardMaterial()));
  expect(factsOf(bare)).toBe("12 triangles, without tangents; no textures");
  geometry.setAttribute("tangent", new THREE.BufferAttribute(new Float32Array(24 * 4), 4));
  const dressed = new THREE.MeshStandardMaterial({
    map: new THREE.Texture(),
    normalMap: new THREE.Texture(),
  });
  const two = new THREE.Group().add(new THREE.Mesh(geometry, dressed), new THREE.Mesh(geometry, dressed));
  expect(factsOf(two)).toBe("24 triangles, tangents inside; colour, normals");
});
