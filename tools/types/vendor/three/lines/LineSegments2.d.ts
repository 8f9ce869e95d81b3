export * from "three/addons/lines/LineSegments2.js";
