export declare const PACKAGES_APART: string[];
