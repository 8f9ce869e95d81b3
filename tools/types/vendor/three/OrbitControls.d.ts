export * from "three/addons/controls/OrbitControls.js";
