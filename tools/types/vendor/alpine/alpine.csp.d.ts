declare const Alpine: { data(name: string, component: () => object): void; start(): void };
export default Alpine;
