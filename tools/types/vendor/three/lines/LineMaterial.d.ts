export * from "three/addons/lines/LineMaterial.js";
