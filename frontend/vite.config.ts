import vue from "@vitejs/plugin-vue";
import { AntDesignVueResolver } from "unplugin-vue-components/resolvers";
import Components from "unplugin-vue-components/vite";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [vue(), Components({ dirs: [], resolvers: [AntDesignVueResolver({ importStyle: false })] })],
  build: { outDir: "../src/ylemorph/web/static", emptyOutDir: true, assetsInlineLimit: 0, modulePreload: { polyfill: false } },
  server: { proxy: { "/api": "http://127.0.0.1:8642" } },
});
